<script setup lang="ts">
/** The mark for repeats: above the line passed, below failed, hollow dot no answer, dash passed over, dot not yet. */
import { computed } from "vue";

export type Mark = "passed" | "failed" | "unanswered" | "unjudged" | "waiting";

const props = defineProps<{ marks: Mark[] }>();
const STEP = 7;
const width = computed(() => Math.max(props.marks.length, 1) * STEP + 2);
const told = computed(() => {
  const passed = props.marks.filter((mark) => mark === "passed").length;
  const missing = props.marks.filter((mark) => mark === "unanswered").length;
  const judged = props.marks.filter((mark) => mark !== "waiting" && mark !== "unjudged").length;
  if (judged === 0 && props.marks.includes("unjudged")) return "passed over: the case expects nothing here";
  return `${passed} of ${judged} passed` + (missing ? `, ${missing} without an answer` : "");
});
const started = computed(() => props.marks.some((mark) => mark !== "waiting"));
</script>

<template>
  <svg :width="width" height="20" :viewBox="`0 0 ${width} 20`" role="img" :aria-label="told" class="block shrink-0">
    <title>{{ told }}</title>
    <line v-if="started" x1="0" :x2="width" y1="10" y2="10" stroke="var(--color-rule)" />
    <template v-for="(mark, at) in marks" :key="at">
      <rect v-if="mark === 'passed'" :x="at * STEP + 2" y="1" width="3" height="9" fill="var(--color-ink)" />
      <rect v-else-if="mark === 'failed'" :x="at * STEP + 2" y="10" width="3" height="9" fill="var(--color-rust)" />
      <circle
        v-else-if="mark === 'unanswered'"
        :cx="at * STEP + 3.5"
        cy="10"
        r="2.5"
        fill="var(--color-sheet)"
        stroke="var(--color-straw)"
        stroke-width="1.5"
      />
      <rect v-else-if="mark === 'unjudged'" :x="at * STEP + 1" y="9" width="5" height="2" fill="var(--color-ink-3)" />
      <circle v-else :cx="at * STEP + 3.5" cy="10" r="1" fill="var(--color-rule)" />
    </template>
  </svg>
</template>
