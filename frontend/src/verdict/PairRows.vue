<script setup lang="ts">
/** Of a paired case: what was changed, how the answer must move, and what was answered to the original. */
import { computed, type Ref } from "vue";

import { useCaseChanges } from "@/api/cases";
import { messageOf } from "@/api/client";
import { complain, say } from "@/frame/notices";
import { useReadings, useTrialCase } from "@/api/trials";
import type { TrialCaseShape, TrialPage } from "@/api/schema";
import ChangeLines from "@/cases/pairs/ChangeLines.vue";
import { useLook } from "./look";
import { isVariation, moveInWords } from "@/cases/pairs/moves";


const props = defineProps<{ page: TrialPage; shown: TrialCaseShape; repeat: number; arms: number[] }>();
defineEmits<{ original: [position: number] }>();
const look = useLook();
const trial = computed(() => props.page.id);
const pair = computed(() => props.shown.content.pair!);
/** Without an original that is asked, too, the case stands in its place. */
const at = computed(() => props.shown.original ?? props.shown.position);
const original = useTrialCase(trial, at);
const there = computed(() => props.shown.original !== null && original.data.value?.position === at.value);
const readingsOf = (side: number) => useReadings(trial, computed(() => props.arms[side] ?? props.arms[0]!), at as Ref<number>, look);
const cases = useCaseChanges(() => props.page.subject);
/** A variation that surprised is worth being asked always: as a case whose answer must be as its original's. */
async function keep(): Promise<void> {
  const { content } = props.shown;
  try {
    const kept = await cases.keep({ ...content, origin: `case ${pair.value.of}, ${pair.value.kind}` });
    say(`Kept as case ${kept.number}.`, () => void cases.setAway(kept.number, kept.revision, true));
  } catch (error) {
    complain(messageOf(error));
  }
}
const sides = [readingsOf(0), readingsOf(1)];
const said = computed(() => props.arms.map((_, side) => sides[side]?.data.value?.readings.find((each) => each.repeat_no === props.repeat)?.answer ?? ""));
</script>

<template>
  <div tabindex="0" role="region" aria-label="Its pair" class="max-h-32 overflow-auto border-b border-rule-soft bg-paper/50 px-4 py-1.5 text-sm" data-test="pair-rows">
    <p v-if="shown.original === null" class="text-straw">Paired with case {{ pair.of }}, which this trial did not ask: the pair is not judged.</p>
    <template v-else>
      <p>
        <button type="button" class="link" @click="$emit('original', shown.original)">Case {{ pair.of }}</button>
        <template v-if="isVariation(pair)"> in another form ({{ pair.kind }}): the answer must stay the same.
          <button type="button" class="link ml-1" title="From now on it is a case of its own, paired with the other" data-test="keep-variation" @click="keep">Keep this form as a case</button></template
        >
        <template v-else> with a change: {{ (pair.moves ?? []).map(moveInWords).join(", ") || "nothing is said of how the answer must move" }}.</template>
      </p>
      <ChangeLines v-if="there" :was="original.data.value?.content.inputs ?? {}" :now="shown.content.inputs ?? {}" />
      <div class="flex gap-3">
        <p v-for="(text, side) in said" :key="side" class="min-w-0 flex-1 truncate" :title="text"><span class="caption">answered before the change</span> <span class="font-mono text-xs">{{ text || "–" }}</span></p>
      </div>
    </template>
  </div>
</template>
