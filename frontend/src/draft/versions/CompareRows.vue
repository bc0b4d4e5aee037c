<script setup lang="ts">
/** What differs between two contents: gone words struck in rust, new ones on green. */
import { computed, ref } from "vue";

import { count } from "@/marks/format";
import { type Content, kindOf } from "../kinds";
import type { Row } from "./compare";

const props = defineProps<{ before: Content; after: Content }>();
const all = ref(false);
const rows = computed(() => kindOf(props.after).compare(props.before, props.after));
const shown = computed(() => (all.value ? rows.value : rows.value.filter((row) => row.kind !== "same")));
const same = computed(() => rows.value.filter((row) => row.kind === "same").length);
const KINDS: Record<Row["kind"], string> = { same: "the same", changed: "changed", gone: "gone", new: "new" };
const COLOURS: Record<Row["kind"], string> = { same: "text-ink-3", changed: "text-ink-2", gone: "text-rust", new: "text-kelp" };
</script>

<template>
  <div data-test="compare">
    <p v-if="shown.length === 0" class="text-ink-2">Nothing differs.</p>
    <div v-for="row in shown" :key="`${row.group}.${row.what}`" class="border-b border-rule-soft py-2" :data-test="`differs-${row.group}`">
      <p class="flex items-baseline gap-2">
        <span class="font-semibold">{{ row.what }}</span>
        <span v-if="row.group !== 'parts'" class="caption">{{ row.group }}</span>
        <span class="flex-1"></span>
        <span class="text-xs" :class="COLOURS[row.kind]">{{ KINDS[row.kind] }}</span>
      </p>
      <p class="mt-1 break-words whitespace-pre-wrap" :class="row.group === 'parts' || row.group === 'fragments' ? 'font-serif text-base' : 'font-mono text-sm'">
        <template v-for="(word, at) in row.words" :key="at"
          ><del v-if="word.kind === 'gone'" class="bg-rust-wash text-rust">{{ word.text }}</del
          ><ins v-else-if="word.kind === 'new'" class="bg-kelp-wash text-kelp no-underline">{{ word.text }}</ins
          ><template v-else>{{ word.text }}</template></template
        >
      </p>
    </div>
    <button v-if="same" type="button" class="link mt-2 text-sm" @click="all = !all">
      {{ all ? "Show only what differs" : `Show ${count(same, "line")} that ${same === 1 ? "is" : "are"} the same` }}
    </button>
  </div>
</template>
