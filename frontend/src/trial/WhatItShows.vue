<script setup lang="ts">
/** What a plan can show before it is paid for: the smallest difference in each check, and what more would show. */
import { computed } from "vue";

import type { ShowingShape, ShownShape } from "@/api/schema";
import { count } from "@/marks/format";
import DetectableCurve from "./DetectableCurve.vue";

const props = defineProps<{ showing: ShowingShape | null; fault: string; repeats: number; arms: number }>();
const shown = computed(() => props.showing?.shown ?? []);
const of = computed(() => (props.showing?.curve_of == null ? null : shown.value[props.showing.curve_of] ?? null));
const widest = computed(() => Math.max(20, ...shown.value.map((each) => each.points ?? 0)));
const reached = computed(() => shown.value.filter((each) => each.points !== null).length);

const SPREAD = {
  past: "By how much past readings of this check varied.",
  rate: "Past readings give its pass rate; how much it varies is a guess.",
  guess: "A guess: it passes in 80%, and repeats of a case are half alike.",
};
const mixed = computed(() => new Set(shown.value.map((each) => each.spread_of === "past")).size > 1);
const basis = computed(() => {
  const kinds = new Set(shown.value.map((each) => each.spread_of));
  if (kinds.size === 1 && kinds.has("past")) return "From how much past readings varied.";
  if (!kinds.has("past") && kinds.has("rate")) return "Pass rates are those of past readings; how much they vary is a guess.";
  if (!kinds.has("past")) return "Nothing was measured yet, so this rests on a guess: checks that pass in 80%, repeats half alike.";
  return "From past readings where there are any (●), else from a guess (○).";
});
const same = computed(() => {
  const needs = shown.value.map((each) => each.same_needs).filter((each) => each !== null);
  const most = Math.max(0, ...needs);
  if (!most || shown.value.every((each) => each.same_needs !== null && each.cases >= each.same_needs)) return "";
  const margin = shown.value.find((each) => each.same_needs === most)?.margin;
  return `“Same within ${margin} points” takes ${count(most, "case")} even when nothing differs.`;
});
const told = (each: ShownShape) => (each.points === null ? "none" : each.points.toFixed(1));
</script>

<template>
  <section class="panel flex min-h-0 min-w-0 flex-col" data-test="showing">
    <header class="border-b border-rule px-4 py-head">
      <span class="block font-semibold">What this can show</span>
      <span class="caption block">The smallest true difference, in points, that it would call four times in five.</span>
    </header>
    <p v-if="arms < 2" class="p-4">One arm has nothing to differ from: its pass rates are all that comes out. Add an arm to compare.</p>
    <p v-else-if="fault" class="p-4 text-rust" role="alert">{{ fault }}</p>
    <div v-else-if="!showing" class="flex flex-col gap-2 p-4" role="status" aria-label="Loading"><div v-for="n in 4" :key="n" class="h-5 bg-paper"></div></div>
    <div v-else class="min-h-0 flex-1 overflow-auto px-4 py-2">
      <table class="w-full">
        <tbody>
          <tr v-for="each in shown" :key="each.key" :title="SPREAD[each.spread_of]" data-test="shown">
            <td class="max-w-52.5 truncate py-0.75 pr-3 whitespace-nowrap">
              {{ each.title }}<span v-if="each.main" class="ml-2 text-xs text-kelp">main question</span>
            </td>
            <td class="w-[45%]">
              <span v-if="each.points !== null" class="block h-1.75" :class="each.main ? 'bg-kelp-wash' : 'bg-slate-wash'" :style="{ width: `${(each.points / widest) * 100}%` }">
                <span class="block h-full border-r-2" :class="each.main ? 'border-kelp' : 'border-slate'"></span>
              </span>
              <span v-else class="caption">{{ each.cases < 6 ? `too few cases (${each.cases})` : "more cases are needed" }}</span>
            </td>
            <td class="py-0.75 pl-3 text-right font-mono text-sm tabular-nums whitespace-nowrap">
              {{ told(each) }}<span v-if="mixed" aria-hidden="true"> {{ each.spread_of === "past" ? "●" : "○" }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="caption pt-1" data-test="showing-basis">
        {{ basis }} <template v-if="same">{{ same }}</template>
        <template v-if="reached === 0 && shown.length"> With these cases no difference could be called.</template>
      </p>
      <template v-if="of && showing.curves.length">
        <p class="pt-2 text-sm font-medium">{{ of.title }}, by cases and repeats</p>
        <DetectableCurve :places="showing.curve_cases" :curves="showing.curves" :cases="of.cases" :repeats="repeats" :points="of.points" />
      </template>
    </div>
  </section>
</template>
