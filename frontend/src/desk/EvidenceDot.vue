<script setup lang="ts">
/** The last evidence in one mark: the difference, its interval, and the baseline at the middle. */
import { scaleLinear } from "d3-scale";
import { computed } from "vue";

import type { Headline } from "@/api/schema";
import { points } from "@/marks/format";

const props = defineProps<{ headline: Headline; reach: number }>();
const WIDTH = 180;
const scale = computed(() => scaleLinear([-props.reach, props.reach], [6, WIDTH - 6]).clamp(true));
const x = (value: number) => scale.value(value);
const colour = computed(
  () =>
    ({ better: "var(--color-kelp)", worse: "var(--color-rust)", same: "var(--color-ink-3)", unsettled: "var(--color-straw)" })[
      props.headline.word
    ],
);
const told = computed(() => {
  const { difference, low, high, word } = props.headline;
  if (difference == null || low == null || high == null) return "nothing to compare";
  return `${points(difference)} points, ${points(low)} to ${points(high)}: ${word}`;
});
</script>

<template>
  <svg :width="WIDTH" height="22" role="img" :aria-label="told" class="block">
    <title>{{ told }}</title>
    <rect :x="x(-headline.margin)" y="3" :width="x(headline.margin) - x(-headline.margin)" height="16" fill="var(--color-rule-soft)" />
    <line :x1="WIDTH / 2" :x2="WIDTH / 2" y1="2" y2="20" stroke="var(--color-slate)" />
    <g v-if="headline.difference != null && headline.low != null && headline.high != null">
      <line :x1="x(headline.low)" :x2="x(headline.high)" y1="11" y2="11" :stroke="colour" stroke-width="2" />
      <g :transform="`translate(${x(headline.difference)}, 11)`">
        <path v-if="headline.word === 'better'" d="M0,-5 5,4 -5,4Z" :fill="colour" />
        <path v-else-if="headline.word === 'worse'" d="M0,5 5,-4 -5,-4Z" :fill="colour" />
        <rect v-else-if="headline.word === 'same'" x="-5" y="-2.5" width="10" height="5" :fill="colour" />
        <circle v-else r="4" fill="var(--color-sheet)" :stroke="colour" stroke-width="2" />
      </g>
    </g>
  </svg>
</template>
