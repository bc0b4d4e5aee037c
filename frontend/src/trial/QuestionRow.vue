<script setup lang="ts">
/** The main question of a plan: which arm, and in what it is to differ. */
import { computed } from "vue";

import type { CheckUse, ShownShape } from "@/api/schema";
import type { PlannedArm } from "./arms";
import { questionOf, type Question } from "./question";

const props = defineProps<{ arms: PlannedArm[]; checks: CheckUse[]; shown: ShownShape[]; titles: Record<string, string> }>();
const question = defineModel<Question>({ required: true });
const named = computed(() => questionOf(question.value, props.arms, props.checks));
const measures = computed(() =>
  props.shown.length
    ? props.shown.map(({ key, title }) => ({ key, title }))
    : props.checks.map((use) => ({ key: use.check, title: props.titles[use.check] ?? use.check })),
);
const arms = computed(() => props.arms.slice(1).map((arm) => ({ key: arm.key, name: nameOf(arm) })));

function nameOf(arm: PlannedArm): string {
  const set = Object.entries(arm.settings).map(([name, value]) => `${name.replace("_", " ")} ${String(value)}`);
  const { version, most, method } = arm.lookUp;
  const looks = [version && `collection v${version}`, most && `passages ${most}`, method && `look-up by ${method}`].filter(Boolean);
  return [arm.subject, `v${arm.version}`, arm.step && `“${arm.step}”`, arm.model, ...set, ...looks].filter(Boolean).join(" ");
}
function chooseArm(text: string): void {
  question.value = text === "" ? "none" : { arm: Number(text), measure: named.value?.measure ?? measures.value[0]?.key ?? "" };
}
function chooseMeasure(measure: string): void {
  const arm = props.arms[named.value?.arm ?? 1];
  if (arm) question.value = { arm: arm.key, measure };
}
const valueOf = (event: Event) => (event.target as HTMLSelectElement).value;
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-2 gap-y-1" data-test="question">
    <span>Does</span>
    <select
      class="field w-37.5 min-w-0 px-1"
      :value="named ? arms[named.arm - 1]?.key : ''"
      aria-label="Arm of the main question"
      data-test="question-arm"
      @change="chooseArm(valueOf($event))"
    >
      <option v-for="arm in arms" :key="arm.key" :value="arm.key">{{ arm.name }}</option>
      <option value="">(no main question)</option>
    </select>
    <template v-if="named">
      <span>differ from the baseline in</span>
      <select
        class="field w-35 min-w-0 flex-1 px-1"
        :value="named.measure"
        aria-label="Check of the main question"
        data-test="question-measure"
        @change="chooseMeasure(valueOf($event))"
      >
        <option v-for="each in measures" :key="each.key" :value="each.key">{{ each.title }}</option>
      </select>
    </template>
  </div>
</template>
