<script setup lang="ts">
/** Ladder and ledger: the steps from top to bottom with their loops and branches, beside the values that each touches. */
import { computed, nextTick, useTemplateRef, watch } from "vue";

import type { Chain, ChainFault, LedgerRow } from "@/api/schema";
import { type Rung, rungsOf, summaryOf, titleOf } from "./steps";

const props = defineProps<{ chain: Chain; rows: LedgerRow[]; faults: ChainFault[]; chosen: string; walked: Set<string>; running: Set<string> }>();
const emit = defineEmits<{ choose: [at: string]; open: [at: string]; menu: [at: string] }>();
const ROW = 46;
const HEAD = 24;
const INDENT = 15;
const LEFT = 20;

const rungs = computed(() => rungsOf(props.chain.steps));
const heights = computed(() => rungs.value.map(({ step }) => (step ? ROW : HEAD)));
const tops = computed(() => heights.value.map((_, at) => heights.value.slice(0, at).reduce((sum, each) => sum + each, 0)));
const total = computed(() => heights.value.reduce((sum, each) => sum + each, 0));
const deepest = computed(() => Math.max(0, ...rungs.value.map(({ deep }) => deep)));
const railWidth = computed(() => LEFT * 2 + deepest.value * INDENT);
const xOf = (rung: Rung) => LEFT + rung.deep * INDENT;
const yOf = (at: number) => tops.value[at]! + heights.value[at]! / 2;

interface Value {
  name: string;
  kind: "input" | "state";
}
const values = computed<Value[]>(() => [
  ...(props.chain.inputs ?? []).map(({ name }) => ({ name, kind: "input" as const })),
  ...(props.chain.state ?? []).map(({ name }) => ({ name, kind: "state" as const })),
]);
const touched = computed(() => new Map(props.rows.map((row) => [row.at, row])));
const faultsAt = computed(() => {
  const found = new Map<string, ChainFault[]>();
  for (const fault of props.faults) found.set(fault.at, [...(found.get(fault.at) ?? []), fault]);
  return found;
});
const wrongCell = (at: string, name: string, field: "reads" | "writes") =>
  (faultsAt.value.get(at) ?? []).find((fault) => fault.names.includes(name) && (field === "writes" ? fault.field.startsWith("writes") : !fault.field.startsWith("writes")));
const faultOfRow = (at: string) => faultsAt.value.get(at)?.find((fault) => fault.stops) ?? faultsAt.value.get(at)?.[0];

/** Lines between a list's steps, from a holder to its first, and back to the beginning of a loop. */
const rails = computed(() => {
  const lines: { d: string; kind: "down" | "in" | "back"; label?: string; x?: number; y?: number }[] = [];
  rungs.value.forEach((rung, at) => {
    const parent = rungs.value.findLastIndex((each, other) => other < at && each.deep < rung.deep);
    const previous = rungs.value.findLastIndex((each, other) => other < at && other > parent && each.deep === rung.deep);
    if (previous >= 0 && rung.step && rungs.value[previous]!.step) lines.push({ d: `M${xOf(rung)} ${yOf(previous)}V${yOf(at)}`, kind: "down" });
    else if (parent >= 0) {
      const up = rungs.value[parent]!;
      lines.push({ d: `M${xOf(up)} ${yOf(parent)}V${yOf(at)}H${xOf(rung)}`, kind: "in" });
    }
    if (rung.step?.kind === "repeat" || rung.step?.kind === "each") {
      const inner = rungs.value.map((each, other) => ({ each, other })).filter(({ each, other }) => other > at && each.deep === rung.deep + 1 && each.at.startsWith(`${rung.at}.`));
      const [first, last] = [inner[0], inner.at(-1)];
      if (first && last) {
        const x = xOf(first.each);
        const [top, bottom] = [yOf(first.other), yOf(last.other)];
        const out = x + 13;
        const d = first === last ? `M${x + 4} ${bottom + 9}C${out + 10} ${bottom + 14} ${out + 10} ${top - 14} ${x + 4} ${top - 9}` : `M${x + 9} ${bottom}C${out + 6} ${bottom} ${out + 6} ${top} ${x + 9} ${top}`;
        lines.push({ d, kind: "back" });
      }
    }
  });
  return lines;
});

const host = useTemplateRef<HTMLElement>("host");
watch(
  () => props.chosen,
  async () => {
    await nextTick();
    host.value?.querySelector('[aria-current="true"]')?.scrollIntoView({ block: "nearest" });
  },
);
defineExpose({ focus: () => host.value?.querySelector<HTMLElement>('[aria-current="true"]')?.focus() });
</script>

<template>
  <div ref="host" class="min-h-0 flex-1 overflow-auto" tabindex="0" role="group" aria-label="Steps and what they touch">
    <div class="min-w-full" :style="{ width: `max(100%, ${railWidth + 216 + values.length * 40 + 34}px)` }">
      <div class="sticky top-0 z-10 flex h-17 items-end bg-sheet">
        <span class="caption sticky left-0 z-10 flex shrink-0 items-center gap-2 self-stretch bg-sheet px-4 pt-2" :style="{ width: `${railWidth + 216}px` }">
          <span class="flex items-center gap-1"><svg width="11" height="11" aria-hidden="true"><circle cx="5.5" cy="5.5" r="4" fill="none" stroke="var(--color-slate)" stroke-width="1.8" /></svg> reads</span>
          <span class="flex items-center gap-1"><svg width="11" height="11" aria-hidden="true"><rect x="1" y="1" width="9" height="9" fill="var(--color-kelp)" /></svg> writes</span>
        </span>
        <span v-for="value in values" :key="value.name" class="relative h-full min-w-10 flex-1 last:mr-8.5">
          <span class="absolute bottom-1 left-1/2 max-w-23 origin-bottom-left -rotate-40 truncate font-mono text-xs" :class="value.kind === 'input' ? 'text-slate' : 'text-ink-2'" :title="value.kind === 'input' ? `${value.name}, an input` : value.name">{{ value.name }}</span>
        </span>
      </div>
      <div class="relative">
        <svg class="pointer-events-none absolute top-0 left-0 z-1" :width="railWidth" :height="total" aria-hidden="true">
          <defs><marker id="rail-end" markerWidth="7" markerHeight="7" refX="5" refY="3.5" orient="auto"><path d="M0 0L6 3.5L0 7" fill="none" stroke="var(--color-slate)" stroke-width="1.3" /></marker></defs>
          <path v-for="(rail, at) in rails" :key="at" :d="rail.d" fill="none" :stroke="rail.kind === 'back' ? 'var(--color-slate)' : 'var(--color-ink-3)'" :stroke-width="rail.kind === 'down' ? 1.6 : 1.2" :stroke-dasharray="rail.kind === 'back' ? '3 2.5' : undefined" :marker-end="rail.kind === 'back' ? 'url(#rail-end)' : undefined" />
          <template v-for="(rung, at) in rungs" :key="rung.at">
            <g v-if="rung.step" :transform="`translate(${xOf(rung)} ${yOf(at)})`">
              <circle r="9" :fill="rung.at === chosen ? 'var(--color-kelp)' : running.has(rung.at) ? 'var(--color-kelp-wash)' : 'var(--color-sheet)'" :stroke="faultOfRow(rung.at)?.stops ? 'var(--color-rust)' : rung.at === chosen || walked.has(rung.at) ? 'var(--color-kelp)' : 'var(--color-ink-3)'" stroke-width="1.6" />
              <text text-anchor="middle" dy="3.6" font-size="10" font-family="var(--font-mono)" :fill="rung.at === chosen ? '#fff' : 'var(--color-ink)'">{{ rung.at.split(".").at(-1) }}</text>
            </g>
          </template>
        </svg>
        <template v-for="(rung, at) in rungs" :key="rung.at">
          <button v-if="!rung.step" type="button" class="flex w-full items-center border-b border-rule-soft bg-sheet text-left" :class="rung.at === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'" :style="{ height: `${heights[at]}px` }" :aria-current="rung.at === chosen" :data-at="rung.at" data-test="way" @click="emit('choose', rung.at)">
            <span class="sticky left-0 flex items-baseline gap-2 truncate text-sm" :style="{ paddingLeft: `${xOf(rung) + 8}px` }"><b class="font-medium">{{ rung.head }}</b><span class="truncate font-mono text-xs text-ink-3">{{ rung.when }}</span></span>
          </button>
          <button
            v-else
            type="button"
            class="flex w-full items-stretch border-b border-rule-soft text-left"
            :class="rung.at === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'"
            :style="{ height: `${ROW}px` }"
            :aria-current="rung.at === chosen"
            :data-at="rung.at"
            data-test="rung"
            @click="emit('choose', rung.at)"
            @dblclick="emit('open', rung.at)"
            @contextmenu.prevent="emit('menu', rung.at)"
          >
            <span class="sticky left-0 flex shrink-0 flex-col justify-center overflow-hidden pr-2" :class="rung.at === chosen ? 'bg-kelp-wash' : 'bg-sheet'" :style="{ width: `${railWidth + 216}px`, paddingLeft: `${railWidth}px` }">
              <span class="flex items-baseline gap-2"
                ><b class="min-w-0 flex-1 truncate font-semibold" :title="rung.step.name">{{ rung.step.name }}</b><span class="shrink-0 font-mono text-2xs text-slate">{{ titleOf(rung.step.kind).toLowerCase() }}</span></span
              >
              <span v-if="faultOfRow(rung.at)" class="truncate text-xs" :class="faultOfRow(rung.at)!.stops ? 'text-rust' : 'text-straw'" :title="faultOfRow(rung.at)!.message" data-test="rung-fault">{{ faultOfRow(rung.at)!.message }}</span>
              <span v-else class="truncate font-mono text-xs text-ink-3" :title="summaryOf(rung.step)">{{ rung.step.only_if ? `only if ${rung.step.only_if}` : summaryOf(rung.step) }}</span>
            </span>
            <span v-for="value in values" :key="value.name" class="flex min-w-10 flex-1 items-center justify-center gap-1 border-l border-rule-soft last:mr-8.5 last:border-r">
              <svg v-if="touched.get(rung.at)?.reads.includes(value.name)" width="11" height="11" role="img" :aria-label="`reads ${value.name}`"><title>reads {{ value.name }}{{ wrongCell(rung.at, value.name, "reads") ? `: ${wrongCell(rung.at, value.name, "reads")!.message}` : "" }}</title><circle cx="5.5" cy="5.5" r="4" fill="none" :stroke="wrongCell(rung.at, value.name, 'reads') ? 'var(--color-rust)' : 'var(--color-slate)'" stroke-width="1.8" /></svg>
              <svg v-if="touched.get(rung.at)?.writes.includes(value.name)" width="11" height="11" role="img" :aria-label="`writes ${value.name}`"><title>writes {{ value.name }}{{ wrongCell(rung.at, value.name, "writes") ? `: ${wrongCell(rung.at, value.name, "writes")!.message}` : "" }}</title><rect x="1" y="1" width="9" height="9" :fill="wrongCell(rung.at, value.name, 'writes') ? 'var(--color-rust)' : 'var(--color-kelp)'" /></svg>
            </span>
          </button>
        </template>
      </div>
    </div>
  </div>
</template>
