<script setup lang="ts">
/** Per check a mark and its interval, with the band of differences that do not matter. */
import { ticks } from "d3-array";
import { scaleLinear } from "d3-scale";
import { computed, useTemplateRef } from "vue";

import ColumnRow from "@/parts/ColumnRow.vue";
import { useRoving } from "@/parts/useRoving";
import WordMark from "@/marks/WordMark.vue";
import type { EvidenceRow } from "./evidence";

const props = defineProps<{ rows: EvidenceRow[]; chosen: number | null; low: number; high: number; middle: number | null }>();
defineEmits<{ choose: [measure: number] }>();

const COLUMNS = "minmax(140px, 33%) 1fr 118px";
const list = useTemplateRef<HTMLElement>("list");
useRoving(list, '[role="option"]');

const scale = computed(() => scaleLinear([props.low, Math.max(props.high, props.low + 1)], [0, 100]).clamp(true));
const x = (value: number) => scale.value(value);
const gridlines = computed(() => ticks(props.low, props.high, 4));
const COLOURS = { better: "bg-kelp", worse: "bg-rust", same: "bg-ink-3", unsettled: "bg-straw" };
const signed = (value: number) => (props.middle === 0 && value > 0 ? "+" : "") + String(value).replace("-", "−");
</script>

<template>
  <div ref="list" role="listbox" aria-label="Evidence by check" data-test="evidence">
    <ColumnRow
      is="button"
      v-for="row in rows"
      :key="row.measure"
      role="option"
      :tabindex="row.measure === (chosen ?? rows[0]?.measure) ? 0 : -1"
      :aria-selected="row.measure === chosen"
      class="h-7.5 border-b-0"
      :columns="COLUMNS"
      :chosen="row.measure === chosen"
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
            class="absolute top-1/2 h-0.5 -translate-y-1/2"
            :class="row.word ? COLOURS[row.word] : 'bg-ink'"
            :style="{ left: `${x(row.low)}%`, width: `max(2px, ${x(row.high) - x(row.low)}%)` }"
          ></span>
          <span class="absolute top-1/2 flex -translate-x-1/2 -translate-y-1/2" :style="{ left: `${x(row.value)}%` }">
            <WordMark v-if="row.word" :word="row.word" />
            <span v-else class="size-2.25 rounded-full bg-ink"></span>
          </span>
        </template>
        <span v-else class="caption absolute inset-0 flex items-center pl-2">no answers to compare</span>
      </span>
      <span class="flex items-baseline justify-end gap-2 font-mono text-sm">
        <span class="text-xs text-ink-3">{{ row.word ?? "" }}</span>
        <span class="w-11 text-right">{{ row.number }}</span>
      </span>
    </ColumnRow>
    <div class="grid gap-x-3 px-gut" :style="{ gridTemplateColumns: COLUMNS }" aria-hidden="true">
      <span class="caption">{{ middle === 0 ? "points" : "% passed" }}</span>
      <span class="relative block h-4.5">
        <span
          v-for="line in gridlines"
          :key="line"
          class="absolute -translate-x-1/2 font-mono text-2xs text-ink-3"
          :style="{ left: `${x(line)}%` }"
          >{{ signed(line) }}</span
        >
      </span>
    </div>
  </div>
</template>
