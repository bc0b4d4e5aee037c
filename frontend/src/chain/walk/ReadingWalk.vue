<script setup lang="ts">
/** The walk that an answer of a trial took, and which of its steps is to blame where it fails. */
import { computed, ref, watch } from "vue";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { findBlame, useReadingWalk } from "@/api/trials";
import type { BlamedStep, ReadingLine } from "@/api/schema";
import { cents } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import { useLook } from "@/verdict/look";
import ValueText from "./ValueText.vue";
import type { Shown } from "./useWalk";
import WalkBars from "./WalkBars.vue";

const props = defineProps<{ reading: ReadingLine; failing: boolean }>();
const emit = defineEmits<{ close: [] }>();
const walk = useReadingWalk(computed(() => props.reading.id), useLook());
const steps = computed<Shown[]>(() => (walk.data.value?.steps ?? []).map((step) => ({ ...step, running: false, text: "" }) as Shown));
const chosen = ref("");
watch(steps, (all) => (chosen.value = (all.find(({ fault }) => fault) ?? all.at(-1))?.at ?? ""), { immediate: true });
const step = computed(() => steps.value.find(({ at }) => at === chosen.value));
const blame = ref<BlamedStep | null>(null);
const looking = ref(false);
const wrong = ref("");

async function look(): Promise<void> {
  looking.value = true;
  wrong.value = "";
  try {
    blame.value = await findBlame(props.reading.id);
    if (blame.value.to_blame) chosen.value = blame.value.to_blame;
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    looking.value = false;
  }
}
const blamed = computed(() => blame.value?.tried.find(({ at }) => at === blame.value?.to_blame) ?? null);
</script>

<template>
  <SheetDialog :open="true" title="The walk of this answer" width="880px" @close="emit('close')">
    <p v-if="faultOf(walk)" class="text-rust" role="alert">{{ messageOf(faultOf(walk)) }}</p>
    <p v-else-if="walk.isPending.value" class="text-ink-2">Looking…</p>
    <p v-else-if="!steps.length" class="text-ink-2">No walk is kept of it.</p>
    <template v-else>
      <div class="flex max-h-60 flex-col border border-rule-soft"><WalkBars :steps="steps" :chosen="chosen" @choose="chosen = $event" /></div>
      <div v-if="failing" class="mt-2 flex items-baseline gap-3">
        <button type="button" class="button" :disabled="looking" data-test="find-blame" @click="look">{{ looking ? "Walking it again…" : "Which step is to blame?" }}</button>
        <p v-if="wrong" class="text-sm text-straw" role="alert" data-test="blame-wrong">{{ wrong }}</p>
        <p v-else-if="blamed" class="text-sm" data-test="blame">Step <b class="font-semibold">{{ blamed.at }}, {{ blamed.name }}</b>: with what it should have written ({{ blamed.source }}) the answer passes. It took {{ cents(blame!.cents) }}.</p>
        <p v-else-if="blame" class="text-sm text-ink-2" data-test="blame">Putting {{ blame.tried.map(({ name }) => name).join(", ") }} right, one at a time, does not mend it.</p>
        <p v-else class="caption">Walks it again from each step with what that should have written: as the case says, or as in a walk of it that passes.</p>
      </div>
      <div v-if="step" class="mt-3 grid max-h-[40vh] grid-cols-2 gap-4 overflow-auto" tabindex="0" role="group" aria-label="The chosen step">
        <p v-if="step.fault" class="col-span-2 border-l-2 border-rust pl-2 text-rust">{{ step.fault }}</p>
        <section><p class="caption mb-0.5">{{ step.name }} was given</p><div v-for="(value, name) in step.given" :key="name" class="mb-1.5"><span class="block font-mono text-xs text-slate">{{ name }}</span><ValueText :value="value" /></div></section>
        <section>
          <p class="caption mb-0.5">it wrote</p>
          <div v-for="(value, name) in step.wrote" :key="name" class="mb-1.5"><span class="block font-mono text-xs text-kelp">{{ name }}</span><ValueText :value="value" /></div>
          <template v-if="blamed && blamed.at === step.at"><p class="caption mt-2 mb-0.5">it should have written</p><div v-for="(value, name) in blamed.right" :key="name" class="mb-1.5"><span class="block font-mono text-xs text-kelp">{{ name }}</span><ValueText :value="value" differs /></div></template>
        </section>
      </div>
    </template>
  </SheetDialog>
</template>
