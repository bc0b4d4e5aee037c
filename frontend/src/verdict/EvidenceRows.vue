<script setup lang="ts">
/** Per check a mark and its interval, with the band of differences that do not matter. */
import { computed } from "vue";

import WordMark from "@/marks/WordMark.vue";
import type { EvidenceRow } from "./evidence";

const props = defineProps<{ rows: EvidenceRow[]; chosen: number | null; low: number; high: number; middle: number | null }>();
defineEmits<{ choose: [measure: number] }>();

const span = computed(() => Math.max(props.high - props.low, 1));
const x = (value: number) => ((Math.max(props.low, Math.min(props.high, value)) - props.low) / span.value) * 100;
const step = computed(() => [1, 2, 5, 10, 20, 25, 50].find((each) => span.value / each <= 5) ?? 50);
const gridlines = computed(() => {
  const found = [];
  for (let at = Math.ceil(props.low / step.value) * step.value; at <= props.high; at += step.value) found.push(at);
  return found;
});
const COLOURS = { better: "bg-kelp", worse: "bg-rust", same: "bg-ink-3", unsettled: "bg-straw" };
const signed = (value: number) => (props.middle === 0 && value > 0 ? "+" : "") + String(value).replace("-", "−");
</script>

<template>
  <div role="listbox" aria-label="Evidence by check" data-test="evidence">
    <button
      v-for="row in rows"
      :key="row.measure"
      type="button"
      role="option"
      :aria-selected="row.measure === chosen"
      class="grid h-[30px] w-full grid-cols-[168px_1fr_118px] items-center gap-x-3 px-[14px] text-left hover:bg-paper"
      :class="{ 'bg-kelp-wash hover:bg-kelp-wash': row.measure === chosen }"
      :title="row.told"
      data-test="evidence-row"
      @click="$emit('choose', row.measure)"
    >
      <span class="truncate" :class="row.main ? 'font-semibold' : ''">{{ row.title }}</span>
      <span class="relative block h-full">
        <span
          v-for="line in gridlines"
          :key="line"
          class="absolute inset-y-0 w-px bg-rule-soft"
          :style="{ left: `${x(line)}%` }"
        ></span>
        <template v-if="middle !== null">
          <span
            class="absolute inset-y-0 bg-rule/45"
            :style="{ left: `${x(middle - row.margin)}%`, width: `${x(middle + row.margin) - x(middle - row.margin)}%` }"
          ></span>
          <span class="absolute inset-y-0 w-[1.5px] bg-slate" :style="{ left: `${x(middle)}%` }"></span>
        </template>
        <template v-if="row.value !== null && row.low !== null && row.high !== null">
          <span
            class="absolute top-1/2 h-[2px] -translate-y-1/2"
            :class="row.word ? COLOURS[row.word] : 'bg-ink'"
            :style="{ left: `${x(row.low)}%`, width: `max(2px, ${x(row.high) - x(row.low)}%)` }"
          ></span>
          <span class="absolute top-1/2 flex -translate-x-1/2 -translate-y-1/2" :style="{ left: `${x(row.value)}%` }">
            <WordMark v-if="row.word" :word="row.word" />
            <span v-else class="size-[9px] rounded-full bg-ink"></span>
          </span>
        </template>
        <span v-else class="caption absolute inset-0 flex items-center pl-2">no answers to compare</span>
      </span>
      <span class="flex items-baseline justify-end gap-2 font-mono text-sm">
        <span class="text-xs text-ink-3">{{ row.word ?? "" }}</span>
        <span class="w-[44px] text-right">{{ row.number }}</span>
      </span>
    </button>
    <div class="grid grid-cols-[168px_1fr_118px] gap-x-3 px-[14px]" aria-hidden="true">
      <span class="caption">{{ middle === 0 ? "points" : "% passed" }}</span>
      <span class="relative block h-[18px]">
        <span
          v-for="line in gridlines"
          :key="line"
          class="absolute -translate-x-1/2 font-mono text-[10px] text-ink-3"
          :style="{ left: `${x(line)}%` }"
          >{{ signed(line) }}</span
        >
      </span>
    </div>
  </div>
</template>
