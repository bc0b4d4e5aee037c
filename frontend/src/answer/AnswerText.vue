<script setup lang="ts">
/** An answer to be read: its words with findings, its Markdown drawn, or its JSON as a tree. */
import { computed, ref } from "vue";

import type { FindingShape, ShapeFault } from "@/api/schema";
import MarkedText from "@/marks/MarkedText.vue";
import type { Span } from "@/marks/spans";
import JsonTree from "./JsonTree.vue";
import MarkdownText, { looksLikeMarkdown } from "./MarkdownText.vue";

const props = withDefaults(
  defineProps<{ text: string; findings?: FindingShape[]; value?: unknown; faults?: ShapeFault[]; differs?: Span[]; side?: "baseline" | "other"; beside?: unknown; passages?: number }>(),
  { passages: 0, findings: () => [], value: undefined, faults: () => [], differs: () => [], side: "other", beside: undefined },
);
const emit = defineEmits<{ cite: [number: number, sentence: string] }>();
const LONG = 60_000;
const hasTree = computed(() => typeof props.value === "object" && props.value !== null);
const hasDrawn = computed(() => !hasTree.value && looksLikeMarkdown(props.text));
const chosen = ref<boolean | null>(null);
/** Words that a check objects to can be underlined in the raw text only. */
const objected = computed(() => props.findings.some((finding) => finding.passed === false && finding.spans.length > 0));
const raw = computed(() => chosen.value ?? (!(hasTree.value && props.beside !== undefined) && ((objected.value && props.faults.length === 0) || props.differs.length > 0)));
const all = ref(false);
const isJson = computed(() => /^\s*[[{`]/.test(props.text));
const shown = computed(() => (all.value || props.text.length <= LONG ? props.text : props.text.slice(0, LONG)));
</script>

<template>
  <div>
    <div v-if="hasTree || hasDrawn" class="float-right ml-2 flex gap-2 text-xs">
      <button type="button" :class="raw ? 'link' : 'font-semibold'" :aria-pressed="!raw" data-test="drawn" @click="chosen = false">
        {{ hasTree ? "tree" : "drawn" }}
      </button>
      <button type="button" :class="raw ? 'font-semibold' : 'link'" :aria-pressed="raw" data-test="raw" @click="chosen = true">raw</button>
    </div>
    <JsonTree v-if="hasTree && !raw" :value="value" :faults="faults" :beside="beside" :side="side" />
    <MarkdownText v-else-if="hasDrawn && !raw" class="font-serif text-read" :text="shown" />
    <div v-else :class="isJson ? 'font-mono text-base' : 'font-serif text-read'">
      <MarkedText :text="shown" :findings="findings" :differs="differs" :side="side" :passages="passages" @cite="(number, sentence) => emit('cite', number, sentence)" />
    </div>
    <p v-if="shown.length < text.length" class="mt-1 text-sm text-straw">
      The answer has {{ text.length.toLocaleString("en") }} characters; the first {{ LONG.toLocaleString("en") }} are shown.
      <button type="button" class="link" @click="all = true">Show all</button>
    </p>
  </div>
</template>
