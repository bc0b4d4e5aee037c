<script setup lang="ts">
/** Scores of an arm against the baseline: where they lie, their means, and the difference with its interval. */
import { computed } from "vue";

import ColumnRow from "@/parts/ColumnRow.vue";
import type { VerdictPage } from "@/api/schema";
import { type ScoreRow, scoreRows } from "./scores";

const props = defineProps<{ verdict: VerdictPage; arm: number | null; chosen: number | null }>();
defineEmits<{ choose: [measure: number] }>();

const WIDE = 200;
const HALF = 13;
const rows = computed(() => scoreRows(props.verdict, props.arm));
const bar = (row: ScoreRow, at: number) => ({ x: (at * WIDE) / row.bins, width: Math.max(WIDE / row.bins - 1, 1) });
const high = (row: ScoreRow, value: number) => (value === 0 ? 0 : Math.max((value / row.most) * HALF, 1));
const COLOURS = { better: "text-kelp", worse: "text-rust", same: "text-ink-3", unsettled: "text-straw", higher: "text-ink", lower: "text-ink" };
</script>

<template>
  <div v-if="rows.length" class="mt-2 border-t border-rule-soft" role="group" aria-label="Scores" data-test="scores">
    <p class="caption px-gut pt-1.5">
      Scores<template v-if="arm !== null">: <span class="text-kelp">above the line {{ verdict.names[arm] }}</span>, <span class="text-slate">below {{ verdict.names[verdict.baseline] }}</span></template>
    </p>
    <ColumnRow
      is="button"
      v-for="row in rows"
      :key="row.measure ?? 'all'"
      class="h-9.5 border-b-0"
      columns="minmax(140px, 33%) 1fr 138px"
      :chosen="row.measure !== null && row.measure === chosen"
      :title="row.told"
      data-test="score-row"
      @click="row.measure !== null && $emit('choose', row.measure)"
    >
      <span class="truncate">{{ row.title }}</span>
      <span class="flex min-w-0 items-center gap-2">
        <span class="w-9 text-right font-mono text-2xs text-ink-3">{{ row.low }}</span>
        <svg class="h-7 w-0 flex-1" :viewBox="`0 0 ${WIDE} ${2 * HALF + 2}`" preserveAspectRatio="none" aria-hidden="true">
          <rect v-for="(value, at) in row.strip" :key="`a${at}`" v-bind="bar(row, at)" :y="HALF - high(row, value)" :height="high(row, value)" fill="var(--color-kelp)" />
          <rect v-for="(value, at) in row.baseline" :key="`b${at}`" v-bind="bar(row, at)" :y="HALF + 2" :height="high(row, value)" fill="var(--color-slate)" />
          <line :x1="0" :x2="WIDE" :y1="HALF + 1" :y2="HALF + 1" stroke="var(--color-rule)" vector-effect="non-scaling-stroke" />
        </svg>
        <span class="w-9 font-mono text-2xs text-ink-3">{{ row.high }}</span>
      </span>
      <span class="flex flex-col items-end justify-center font-mono text-sm leading-tight">
        <span><span class="mr-2 text-xs" :class="COLOURS[row.word]">{{ row.shownWord }}</span>{{ row.number }}</span>
        <span class="text-2xs text-ink-3">{{ row.range }}</span>
      </span>
    </ColumnRow>
  </div>
</template>
