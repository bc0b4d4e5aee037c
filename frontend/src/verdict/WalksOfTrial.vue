<script setup lang="ts">
/** What the walks of a trial's chains took, and at which steps they ended before they were done. */
import { computed } from "vue";

import { useTrialWalks } from "@/api/trials";
import { cents, count } from "@/marks/format";

const props = defineProps<{ trial: number; names: string[] }>();
const walks = useTrialWalks(computed(() => props.trial), () => true);
const arms = computed(() => walks.data.value?.arms ?? []);
const failures = computed(() => walks.data.value?.failures ?? []);
const steps = computed(() => [...new Map(failures.value.map(({ at, step }) => [`${at} ${step}`, { at, step }])).values()]);
const at = (step: { at: string; step: string }, arm: number) => failures.value.filter((each) => each.at === step.at && each.step === step.step && each.arm === arm).reduce((sum, each) => sum + each.walks, 0);
function many(value: number, noun: string): string {
  const told = value.toFixed(1).replace(/\.0$/, "");
  return `${told} ${told === "1" ? noun : `${noun}s`}`;
}
</script>

<template>
  <section v-if="arms.length" class="mt-2 border-t border-rule-soft px-gut pt-2" data-test="trial-walks">
    <p v-for="arm in arms" :key="arm.arm" class="text-sm">
      <b class="font-medium">{{ names[arm.arm] }}</b> <span class="text-ink-2">walked {{ count(arm.walks, "time") }}, on average {{ many(arm.steps, "step") }}, {{ many(arm.rounds, "round") }} of loops and {{ many(arm.calls, "call") }}<template v-if="arm.again">; <span title="Another had asked just the same; the price and the time of a walk count them all the same" data-test="calls-again">{{ count(arm.again, "call") }} not made again, {{ cents(arm.again_cents) }} not paid</span></template><template v-if="arm.done < arm.walks">; <span class="text-straw">{{ count(arm.walks - arm.done, "walk") }} ended before {{ arm.walks - arm.done === 1 ? "it was" : "they were" }} done</span></template></span>
    </p>
    <table v-if="steps.length" class="mt-1 w-full text-sm">
      <thead><tr><th class="caption py-0.5 text-left font-normal">where walks end early</th><th v-for="arm in arms" :key="arm.arm" class="caption text-right font-normal">{{ names[arm.arm] }}</th></tr></thead>
      <tbody>
        <tr v-for="step in steps" :key="step.at" class="border-t border-rule-soft"><td class="py-0.5"><span class="font-mono text-xs text-ink-3">{{ step.at }}</span> {{ step.step || "the chain as a whole" }}</td><td v-for="arm in arms" :key="arm.arm" class="text-right tabular-nums" :class="at(step, arm.arm) ? 'text-rust' : 'text-ink-3'">{{ at(step, arm.arm) || "–" }}</td></tr>
      </tbody>
    </table>
  </section>
</template>
