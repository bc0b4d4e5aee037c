<script setup lang="ts">
import { computed, ref } from "vue";

import type { FindingShape } from "@/api/schema";

const props = defineProps<{
  findings: FindingShape[];
  /** Lines that are shown of those that passed before the rest is folded; all, unless it is given. */
  most?: number;
}>();
const all = ref(false);
const rank = ({ passed }: FindingShape) => (passed === false ? 0 : passed === null ? 1 : 2);
/** What failed is what one came to read; then what could not be told. */
const failedFirst = computed(() => [...props.findings].sort((one, other) => rank(one) - rank(other)));
const told = computed(() => {
  const open = failedFirst.value.filter((each) => each.passed !== true).length;
  return all.value || props.most === undefined ? failedFirst.value : failedFirst.value.slice(0, Math.max(open, props.most));
});
const folded = computed(() => failedFirst.value.length - told.value.length);
const NAMES = { true: "passed", false: "failed", null: "could not tell" };
/** Findings with a score are read for it even where they passed. */
const scored = (finding: FindingShape) => finding.passed && finding.score !== null && finding.score !== undefined;
</script>

<template>
  <ul class="flex flex-col gap-1">
    <li v-for="finding in told" :key="finding.measure" class="flex gap-2" data-test="finding">
      <svg width="5" height="17" viewBox="0 0 5 17" class="mt-px shrink-0" role="img" :aria-label="NAMES[String(finding.passed) as keyof typeof NAMES]">
        <line x1="0" x2="5" y1="8.5" y2="8.5" stroke="var(--color-rule)" />
        <rect v-if="finding.passed" x="1" y="1" width="3" height="8" fill="var(--color-ink)" />
        <rect v-else-if="finding.passed === false" x="1" y="8" width="3" height="8" fill="var(--color-rust)" />
        <circle v-else cx="2.5" cy="8.5" r="1.75" fill="var(--color-sheet)" stroke="var(--color-straw)" />
      </svg>
      <span v-if="finding.passed" class="min-w-0 break-words text-ink-2" :title="finding.message"
        >{{ finding.title }}<span v-if="scored(finding)" class="caption">: {{ finding.message }}</span></span
      >
      <span v-else class="min-w-0 break-words" :class="finding.passed === null ? 'text-straw' : 'text-rust'"
        >{{ finding.title }}: <span class="text-ink-2">{{ finding.message }}</span>
        <span v-for="place in [...(finding.pointers ?? []), ...(finding.sources ?? [])].slice(0, 5)" :key="place" class="ml-1 font-mono text-xs text-ink-3">{{ place }}</span></span
      >
    </li>
    <li v-if="folded > 0 || (all && most !== undefined)">
      <button type="button" class="link text-sm" data-test="all-findings" :aria-expanded="all" @click="all = !all">{{ all ? "fewer" : `${folded} more passed` }}</button>
    </li>
  </ul>
</template>
