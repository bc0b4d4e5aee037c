<script setup lang="ts">
/** A walk as bars in time, a row for each step; what a step holds stands under it, indented. */
import { computed } from "vue";

import { cents, duration } from "@/marks/format";
import type { Shown } from "./useWalk";

const props = defineProps<{ steps: Shown[]; chosen: string; differs?: string }>();
const emit = defineEmits<{ choose: [at: string] }>();
const end = computed(() => Math.max(1, ...props.steps.map((step) => step.start_ms + step.total_ms)));
const money = computed(() => props.steps.reduce((sum, step) => sum + step.cents, 0));
const time = computed(() => props.steps.reduce((sum, step) => sum + step.ms, 0));
const CONTAINERS = ["repeat", "each", "both", "route", "call"];
/** A route whose way a model chooses has a call of its own before what it holds. */
const asksItself = (step: Shown) => step.kind === "route" && step.calls > 0 && !step.running;
const deepOf = (at: string) => at.split(".").filter((part) => /^\d+$/.test(part)).length - 1;
/** `second round`, `item 3`: where in a loop it stands. */
function turnOf(at: string): string {
  const part = at.split(".").findLast((each) => /^[rit]\d+$/.test(each));
  if (!part) return "";
  if (part.startsWith("t")) return `turn ${part.slice(1)}`;
  return part.startsWith("r") ? (part === "r1" ? "" : `round ${part.slice(1)}`) : `item ${part.slice(1)}`;
}
/** What share of the whole it took, of time and of money; nothing for what took next to none. */
function shareOf(step: Shown): string {
  const told = [];
  if (time.value > 0 && step.ms / time.value >= 0.01) told.push(`${Math.round((100 * step.ms) / time.value)}%`);
  if (money.value > 0 && step.cents / money.value >= 0.01) told.push(`${Math.round((100 * step.cents) / money.value)}% ¢`);
  return told.join(" · ");
}
function colourOf(step: Shown): string {
  if (step.fault) return "bg-rust";
  if (step.running) return "bg-kelp";
  if (CONTAINERS.includes(step.kind)) return "bg-rule";
  return step.kind === "ask" || step.kind === "vote" ? "bg-ink" : "bg-slate";
}
const titleOf = (step: Shown) => [step.name, step.fault, duration(step.total_ms), step.cents ? cents(step.cents) : ""].filter(Boolean).join(" · ");
</script>

<template>
  <div class="min-h-0 flex-1 overflow-auto py-1" tabindex="0" role="group" aria-label="Steps of the walk">
    <button
      v-for="step in steps"
      :key="step.at"
      type="button"
      class="grid h-5.5 w-full grid-cols-[minmax(120px,190px)_1fr_86px] items-center gap-2 px-gut text-left"
      :class="step.at === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'"
      :aria-current="step.at === chosen"
      :title="titleOf(step)"
      :data-at="step.at"
      data-test="bar"
      @click="emit('choose', step.at)"
    >
      <span class="flex min-w-0 items-baseline gap-1.5 font-mono text-xs" :class="step.passed_over ? 'text-ink-3 line-through' : ''" :style="{ paddingLeft: `${deepOf(step.at) * 10}px` }"
        ><span class="shrink-0 text-ink-3">{{ step.at.split(".").at(-1) }}</span><span class="truncate">{{ step.name }}</span><span v-if="turnOf(step.at)" class="shrink-0 text-slate">{{ turnOf(step.at) }}</span></span
      >
      <span class="relative h-full">
        <span class="absolute top-1/2 h-2.25 min-w-0.75 -translate-y-1/2" :class="[colourOf(step), step.running ? 'w-6 animate-pulse' : '']" :style="step.running ? { left: '0' } : { left: `${(100 * step.start_ms) / end}%`, width: `${(100 * step.total_ms) / end}%` }"></span>
        <span v-if="asksItself(step)" class="absolute top-1/2 h-2.25 min-w-0.75 -translate-y-1/2 bg-ink" :style="{ left: `${(100 * step.start_ms) / end}%`, width: `${(100 * step.ms) / end}%` }"></span>
        <span v-if="step.fault" class="absolute top-1/2 -translate-y-1/2 text-xs text-rust" :style="{ left: `calc(${Math.min(92, (100 * (step.start_ms + step.total_ms)) / end)}% + 5px)` }" aria-label="something went wrong">✗</span>
        <span v-if="step.at === differs" class="absolute top-1/2 -translate-y-1/2 border border-straw px-1 text-2xs text-straw" style="right: 0">differs first</span>
      </span>
      <span class="text-right text-xs text-ink-3 tabular-nums">{{ step.running ? "…" : step.passed_over ? "passed over" : CONTAINERS.includes(step.kind) && !asksItself(step) ? "" : shareOf(step) }}</span>
    </button>
  </div>
</template>
