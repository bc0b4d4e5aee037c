<script setup lang="ts">
/** One case, two arms side by side: the answers of one repeat, with what differs marked. */
import { computed, ref, watch } from "vue";

import { jsonIn } from "@/answer/jsonIn";
import { useSubjectChanges } from "@/api/subjects";
import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useReadings, useTrialCase } from "@/api/trials";
import type { ReadingLine, TrialPage } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { readText } from "@/parts/values";
import { differing } from "@/marks/differing";
import { passes } from "@/marks/passing";
import ReadingWalk from "@/chain/walk/ReadingWalk.vue";
import AnswerPane from "./AnswerPane.vue";
import CallsDialog from "./CallsDialog.vue";
import { useLook } from "./look";
import PairRows from "./PairRows.vue";
import PassagesKey from "./PassagesKey.vue";
import TalkRows from "./TalkRows.vue";

const props = defineProps<{ page: TrialPage; caseAt: number; arm: number | null; baseline: number }>();
defineEmits<{ original: [position: number] }>();
const changes = useSubjectChanges();
const repeat = defineModel<number>("repeat", { required: true });
/** Whether the passages that were looked up are shown, on both sides. */
const found = ref(false);
const trial = computed(() => props.page.id);
const caseAt = computed(() => props.caseAt);
const look = useLook();
const left = useReadings(trial, computed(() => props.baseline), caseAt, look);
const right = useReadings(trial, computed(() => props.arm ?? props.baseline), caseAt, look);
const ofCase = useTrialCase(trial, caseAt);
const shown = computed(() => (ofCase.data.value?.position === props.caseAt ? ofCase.data.value : undefined));
const exact = ref<ReadingLine | null>(null);
const walk = ref<ReadingLine | null>(null);
const walkPasses = computed(() => !!walk.value && (walk.value.error ?? null) === null && passes(walk.value.findings));

const of = (list: ReadingLine[] | undefined) => list?.find((each) => each.repeat_no === repeat.value);
const answers = computed(() => {
  const pair = [of(left.data.value?.readings), props.arm === null ? undefined : of(right.data.value?.readings)] as const;
  const [one, other] = [pair[0]?.answer, pair[1]?.answer];
  const spans = one != null && other != null ? differing(one, other) : [[], []];
  const values = [one, other].map((answer) => jsonIn(answer ?? ""));
  const sides = props.arm === null ? [props.baseline] : [props.baseline, props.arm];
  return sides.map((arm, side) => ({
    arm: props.page.arms[arm]!,
    readings: (side === 0 ? left : right).data.value?.readings ?? [],
    reading: pair[side],
    differs: spans[side] ?? [],
    beside: values[1 - side] ?? values[side],
    pending: (side === 0 ? left : right).isPending.value,
    isBaseline: side === 0,
  }));
});
/** Without what stands in the title already. */
const input = computed(() => Object.entries(shown.value?.content.inputs ?? {}).filter(([, value]) => readText(value) !== shown.value?.title));
watch(
  () => props.page.repeats,
  (repeats) => {
    if (repeat.value >= repeats) repeat.value = 0;
  },
);
/** Put the answer into the draft's examples, with the inputs of its case. */
async function asExample(reading: ReadingLine): Promise<void> {
  try {
    const origin = `T${props.page.id}, case ${shown.value?.number}, repeat ${reading.repeat_no + 1}`;
    const example = { inputs: shown.value?.content.inputs, answer: reading.answer ?? "", origin };
    const number = await changes.addExample(props.page.subject, example);
    say(`It is example ${number} of the draft now.`);
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}
</script>

<template>
  <section class="panel flex min-h-0 min-w-0 flex-col" data-test="reader">
    <header class="border-b border-rule-soft px-4 py-2">
      <div class="flex items-baseline gap-3">
        <span class="line-clamp-3 min-w-0 flex-1 font-semibold" data-test="reader-case" :title="shown?.title">{{ shown?.title }}</span>
        <span class="caption shrink-0">
          <RouterLink class="link" :to="{ name: 'cases', params: { name: page.subject, number: shown?.number } }">case {{ shown?.number }}</RouterLink>
          <template v-if="shown?.content.expect?.label"> · expects <b class="font-medium text-ink">{{ shown.content.expect.label }}</b></template>
        </span>
        <span class="caption flex shrink-0 items-center gap-1">
          repeat
          <button
            v-for="n in Math.min(page.repeats, 10)"
            :key="n"
            type="button"
            class="size-4.75 rounded-md border font-mono text-xs"
            :class="n - 1 === repeat ? 'border-kelp bg-kelp text-white' : 'border-rule bg-sheet text-ink-2 hover:border-ink-3'"
            :aria-pressed="n - 1 === repeat"
            :title="`Repeat ${n}`"
            @click="repeat = n - 1"
          >
            {{ n }}
          </button>
          <span v-if="page.repeats > 10" class="font-mono">{{ repeat + 1 }} of {{ page.repeats }}</span>
        </span>
      </div>
      <div v-if="input.length" tabindex="0" role="region" aria-label="Its inputs" class="max-h-13.5 overflow-auto pt-1">
        <p v-for="[key, value] in input" :key="key" class="text-sm text-ink-2">
          <span class="mr-2 font-mono text-xs text-slate">{{ key }}</span>
          <span class="whitespace-pre-wrap">{{ readText(value) }}</span>
        </p>
      </div>
    </header>
    <PairRows v-if="shown?.content.pair" :page="page" :shown="shown" :repeat="repeat" :arms="answers.map((side) => side.arm.position)" @original="$emit('original', $event)" />
    <TalkRows :sides="answers.map((side) => side.reading)" />
    <p v-if="faultOf(left)" class="p-4 text-rust" role="alert">{{ messageOf(faultOf(left)) }}</p>
    <div v-else class="flex min-h-0 flex-1">
      <PassagesKey v-if="answers.some(({ reading }) => reading?.found.length)" @press="found = !found" />
      <AnswerPane
        v-for="side in answers"
        :key="side.arm.position"
        :arm="side.arm"
        :readings="side.readings"
        :reading="side.reading"
        :differs="side.differs"
        :beside="side.beside"
        :pending="side.pending"
        :is-baseline="side.isBaseline"
        v-model:found="found"
        @exact="exact = $event"
        @walk="walk = $event"
        @example="asExample"
      />
      <p v-if="arm === null" class="flex-1 p-4 text-ink-3">There is one arm, so nothing stands beside it.</p>
    </div>
  </section>
  <CallsDialog :reading="exact" @close="exact = null" />
  <ReadingWalk v-if="walk" :reading="walk" :failing="!walkPasses" @close="walk = null" />
</template>
