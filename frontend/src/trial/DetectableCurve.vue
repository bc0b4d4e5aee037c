<script setup lang="ts">
/** The smallest difference over numbers of cases (a log scale), a line for each number of repeats. */
import { useElementSize } from "@vueuse/core";
import { scaleLinear, scaleLog } from "d3-scale";
import { computed, ref } from "vue";

import type { CurveShape } from "@/api/schema";
import { count } from "@/marks/format";

const props = defineProps<{ places: number[]; curves: CurveShape[]; cases: number; repeats: number; points: number | null }>();
/** Drawn as wide as it stands, so that its words keep their size. */
const drawing = ref<SVGSVGElement | null>(null);
const { width: stands } = useElementSize(drawing, { width: 560, height: 0 });
const width = computed(() => Math.max(240, Math.round(stands.value)));
const HEIGHT = 168;
const LEFT = 30;
const RIGHT = 74;
const TOP = 8;
const BOTTOM = 22;
const MOST = 40;

const x = computed(() => scaleLog([props.places[0] ?? 6, props.places.at(-1) ?? 100], [LEFT, width.value - RIGHT]));
const y = scaleLinear([0, MOST], [HEIGHT - BOTTOM, TOP]).clamp(true);
/** Of the ticks of a log scale those that begin with 1, 2 or 5: the others crowd. */
const marks = computed(() => x.value.ticks().filter((each) => /^[125]0*$/.test(String(each))));
const lines = computed(() =>
  props.curves.map((curve) => {
    const seen = props.places.flatMap((cases, at) => {
      const points = curve.points[at];
      return points == null || points > MOST ? [] : [{ x: x.value(cases), y: y(points) }];
    });
    return { repeats: curve.repeats, mine: curve.repeats === props.repeats, path: seen.map((p) => `${p.x.toFixed(1)},${p.y.toFixed(1)}`).join(" "), end: seen.at(-1) };
  }),
);
/** Labels at the ends of the lines, moved apart where they would lie over each other. */
const labels = computed(() => {
  const sorted = lines.value.filter((line) => line.end).sort((a, b) => a.end!.y - b.end!.y);
  let above = -Infinity;
  return sorted.map((line) => {
    above = Math.max(line.end!.y, above + 12);
    return { ...line, at: above };
  });
});
const here = computed(() => (props.points === null || props.points > MOST || props.cases < 6 ? null : { x: x.value(props.cases), y: y(props.points) }));
const told = computed(() => `Smallest difference over ${props.places[0]} to ${props.places.at(-1)} cases for ${props.curves.map((c) => count(c.repeats, "repeat")).join(", ")}`);
</script>

<template>
  <svg ref="drawing" :height="HEIGHT" class="block w-full max-w-180" role="img" :aria-label="told" data-test="curve">
    <g v-for="points in [0, 10, 20, 30, 40]" :key="points">
      <line :x1="LEFT" :x2="width - RIGHT" :y1="y(points)" :y2="y(points)" class="stroke-rule-soft" />
      <text :x="LEFT - 6" :y="y(points) + 3" text-anchor="end" class="fill-ink-3 font-mono text-2xs">{{ points }}</text>
    </g>
    <g v-for="cases in marks" :key="cases">
      <line :x1="x(cases)" :x2="x(cases)" :y1="y(0)" :y2="y(0) + 3" class="stroke-rule" />
      <text :x="x(cases)" :y="HEIGHT - 8" text-anchor="middle" class="fill-ink-3 font-mono text-2xs">{{ cases.toLocaleString("en") }}</text>
    </g>
    <text :x="width - RIGHT + 24" :y="HEIGHT - 8" class="fill-ink-3 text-2xs">cases</text>
    <polyline
      v-for="line in lines"
      :key="line.repeats"
      :points="line.path"
      fill="none"
      :class="line.mine ? 'stroke-kelp' : 'stroke-ink-3'"
      :stroke-width="line.mine ? 2 : 1"
      :stroke-dasharray="line.mine ? undefined : '3 3'"
    />
    <text v-for="label in labels" :key="label.repeats" :x="width - RIGHT + 8" :y="label.at + 3" class="text-2xs" :class="label.mine ? 'fill-kelp font-medium' : 'fill-ink-2'">
      {{ count(label.repeats, "repeat") }}
    </text>
    <g v-if="here">
      <line :x1="here.x" :x2="here.x" :y1="here.y" :y2="y(0)" class="stroke-kelp" stroke-width="1" />
      <circle :cx="here.x" :cy="here.y" r="4" class="fill-kelp" />
    </g>
  </svg>
</template>
