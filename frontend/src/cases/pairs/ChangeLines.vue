<script setup lang="ts">
/** What was changed between two cases: short values as old and new, long texts with the changed words marked. */
import { computed } from "vue";

import { differing } from "@/marks/differing";
import MarkedText from "@/marks/MarkedText.vue";
import { readText } from "@/parts/values";
import { changesBetween } from "./moves";

const SHORT = 40;
const props = defineProps<{ was: Record<string, unknown>; now: Record<string, unknown> }>();
const lines = computed(() =>
  changesBetween(props.was, props.now).map(({ what, was, now }) => {
    const [one, other] = [readText(was), readText(now)];
    return { what, one, other, short: one.length <= SHORT && other.length <= SHORT, differs: differing(one, other)[1] };
  }),
);
</script>

<template>
  <p v-for="line in lines" :key="line.what" class="py-0.5" data-test="changed-line">
    <span class="mr-2 font-mono text-xs text-slate">{{ line.what }}</span>
    <template v-if="line.short"
      ><del class="font-serif text-ink-2 decoration-rust">{{ line.one || "(nothing)" }}</del> → <ins class="font-serif text-kelp no-underline">{{ line.other || "(nothing)" }}</ins></template
    >
    <MarkedText v-else class="font-serif" :text="line.other" :findings="[]" :differs="line.differs" />
  </p>
  <p v-if="!lines.length" class="py-0.5 text-straw">Nothing is changed: both ask the same.</p>
</template>
