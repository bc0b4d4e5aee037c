<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { useChainSteps } from "@/api/chains";
import { useCheckKinds } from "@/api/checks";
import { useSentences } from "@/checks/useSentences";
import { faultOf } from "@/api/fault";
import { useCaseSets, useCaseTags } from "@/api/cases";
import { messageOf, Refusal } from "@/api/client";
import { useModels } from "@/api/models";
import { useSubject, useVersions } from "@/api/subjects";
import { useTrial, useTrialChanges, useTrials } from "@/api/trials";
import { useKeys } from "@/frame/keys";
import { cents, count } from "@/marks/format";
import ArmRows from "./ArmRows.vue";
import ChainArmRows from "./ChainArmRows.vue";
import CheckRows from "@/checks/CheckRows.vue";
import { VARIATIONS, VARIED, type Variation } from "./variations";
import QuestionRow from "./QuestionRow.vue";
import TrialList from "./TrialList.vue";
import { useEstimate } from "./useEstimate";
import { planLike, usePlan, usualPlan } from "./usePlan";
import WhatItShows from "./WhatItShows.vue";

const FEWEST_CASES = 6;
/** `newest`: just the newest version against the one before, whatever was being planned. */
const props = defineProps<{ name: string; from: number | null; newest: boolean }>();
const router = useRouter();
const trials = useTrialChanges();
const name = computed(() => props.name);
const subject = useSubject(name);
const versions = useVersions(name);
const models = useModels();
const planning = usePlan(props.name);
const { plan } = planning;
const cases = useCaseTags(name, computed(() => plan.value?.alone ?? ""));
const caseSets = useCaseSets(name);
const kinds = useCheckKinds();
const like = useTrial(computed(() => props.from));
const sets = computed(() => caseSets.data.value?.sets.slice(0, 12) ?? []);
/** Steps of a chain that cases are of: each is tried alone, and the whole without them. */
const ofSteps = computed(() => cases.data.value?.steps ?? []);
const steps = computed(() => {
  const alone = plan.value?.alone ?? "";
  return alone && !ofSteps.value.some(({ step }) => step === alone) ? [...ofSteps.value, { step: alone, cases: 0 }] : ofSteps.value;
});
/** The trial whose answers may stand for what would be asked exactly the same: of a chain whose last steps changed that
 * leaves little to pay for. */
const before = useTrials(name);
const earlier = computed(() => {
  if (subject.data.value?.kind !== "chain" || !plan.value) return null;
  const alike = (before.data.value?.pages ?? []).flatMap((page) => page.trials).filter((trial) => trial.alone === plan.value!.alone && trial.answers_of === null && trial.recorded > 0);
  return plan.value.asRecorded ?? (alike.find(({ id }) => id === props.from) ?? alike[0])?.id ?? null;
});
watch(
  () => plan.value?.alone,
  (_, before) => plan.value && before !== undefined && (plan.value.asRecorded = null), // not as the plan comes
);
const whole = computed(() => (cases.data.value?.kept ?? 0) - ofSteps.value.reduce((sum, each) => sum + each.cases, 0));
const kept = computed(() => (plan.value?.alone ? (steps.value.find(({ step }) => step === plan.value?.alone)?.cases ?? 0) : whole.value));
const tags = computed(() => cases.data.value?.tags ?? []);
const problem = ref<Refusal | null>(null);
const starting = ref(false);

const failed = computed(() => [subject, versions, models, cases, kinds, like].map(faultOf).find((fault) => fault !== null));
watch(
  [subject.data, versions.data, models.data, cases.data, like.data],
  () => {
    if (plan.value || !subject.data.value || !versions.data.value || !models.data.value || !cases.data.value) return;
    if (props.from !== null) {
      if (like.data.value) plan.value = planLike(like.data.value, versions.data.value);
      return;
    }
    plan.value = (props.newest ? null : planning.remembered()) ?? usualPlan(versions.data.value, models.data.value.models, subject.data.value);
  },
  { immediate: true },
);
watch(plan, () => (problem.value = null), { deep: true });

const isChain = computed(() => subject.data.value?.kind === "chain");
const { names: stepNames } = useChainSteps(name, () => isChain.value);
/** What the chosen checks ask, in words, and which of them can't be had. */
const { sentences, faults } = useSentences(name, () => plan.value?.checks ?? null);
const titles = computed(() => Object.fromEntries((kinds.data.value?.kinds ?? []).map((kind) => [kind.key, kind.aspects[0] ?? kind.key])));
const inTheWay = computed(() => {
  if (!plan.value) return "";
  if (versions.data.value?.length === 0) return "Save the draft as a version first: a trial compares versions.";
  if (kept.value === 0 && plan.value.alone) return `No case is of the step “${plan.value.alone}”. Open it in a walk and keep what it was given as a case.`;
  if (kept.value === 0) return "Keep some cases first: a trial asks every arm about each of them.";
  if (plan.value.arms.length === 0) return "Add an arm: a version and a model to ask.";
  if (!Number.isInteger(plan.value.repeats) || plan.value.repeats < 1) return "Repeats must be a whole number from 1.";
  return "";
});

const { estimate, takes, fault } = useEstimate(props.name, () => (plan.value && !inTheWay.value ? planning.body() : null));

/** How many cases are asked: known at once for all or one tag, else as the estimate says. */
const chosen = computed(() => {
  const { tags: picked = [], sets: named = [], like: earlier = null } = plan.value ?? {};
  if (earlier === null && picked.length + named.length === 0) return kept.value;
  if (earlier === null && named.length === 0 && picked.length === 1) return tags.value.find((each) => each.tag === picked[0])?.cases ?? 0;
  return estimate.value?.cases ?? null;
});
/** Variations that are asked beside the cases: as many as their rules find something to change in. */
const forms = computed(() => (plan.value?.steadiness.length ? (estimate.value?.varied ?? 0) : 0));
const calls = computed(() => (plan.value && chosen.value !== null ? plan.value.arms.length * (chosen.value + forms.value) * (plan.value.repeats || 0) : null));
const unexpected = computed(() => (plan.value?.checks.some((use) => use.check === "outcome.label") ? (estimate.value?.unlabelled ?? 0) : 0));

function toggleTag(tag: string): void {
  if (!plan.value) return;
  plan.value.like = null;
  plan.value.tags = plan.value.tags.includes(tag) ? plan.value.tags.filter((each) => each !== tag) : [...plan.value.tags, tag];
}
function toggleVariation(kind: Variation): void {
  if (!plan.value) return;
  const { steadiness } = plan.value;
  plan.value.steadiness = steadiness.includes(kind) ? steadiness.filter((each) => each !== kind) : [...steadiness, kind];
}
function toggleSet(set: string): void {
  if (!plan.value) return;
  plan.value.like = null;
  plan.value.sets = plan.value.sets.includes(set) ? plan.value.sets.filter((each) => each !== set) : [...plan.value.sets, set];
}
function takeAll(): void {
  if (plan.value) Object.assign(plan.value, { tags: [], sets: [], like: null });
}

const steadyModels = computed(() => [...new Set((estimate.value?.steady ?? []).map((at) => plan.value?.arms[at]?.model ?? ""))].join(" and "));

async function start(): Promise<void> {
  if (!plan.value || inTheWay.value || starting.value) return;
  starting.value = true;
  problem.value = null;
  try {
    const trial = await trials.start(props.name, planning.body());
    planning.forget();
    await router.replace({ name: "trial", params: { name: props.name, id: trial.id } });
  } catch (error) {
    problem.value = error instanceof Refusal ? error : null;
    if (!problem.value) throw error;
  } finally {
    starting.value = false;
  }
}
useKeys([{ keys: { "ctrl+enter": () => void start() }, shown: ["Ctrl ↵"], label: "start" }]);
</script>

<template>
  <form class="panel flex w-140 shrink-0 flex-col" @submit.prevent="start">
    <header class="flex items-center gap-3 border-b border-rule px-4 py-head">
      <span class="min-w-0 flex-1">
        <span class="block font-semibold">{{ from ? `A trial like T${from}` : newest ? "The newest version against the one before" : "Plan a trial" }}</span>
        <span class="caption block">Arms are held against the first; every case is asked of each, several times.</span>
      </span>
      <RouterLink v-if="subject.data.value?.latest_trial" class="button" :to="{ name: 'trial', params: { name, id: from ?? subject.data.value.latest_trial } }"
        >Cancel</RouterLink
      >
    </header>
    <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-4">
      <template v-if="failed">
        <p class="text-rust" role="alert">{{ messageOf(failed) }}</p>
      </template>
      <template v-else-if="!plan"><div v-for="n in 6" :key="n" class="h-7 bg-paper" role="status" aria-label="Loading"></div></template>
      <template v-else>
        <section>
          <h2 class="caption mb-1 font-medium">Arms</h2>
          <ChainArmRows v-if="isChain" v-model="plan.arms" :name="name" :versions="versions.data.value ?? []" :models="models.data.value?.models ?? []" :wrong="problem?.field ?? null" />
          <ArmRows
            v-else
            v-model="plan.arms"
            :versions="versions.data.value ?? []"
            :models="models.data.value?.models ?? []"
            :wrong="problem?.field ?? null"
          />
        </section>
        <label v-if="steps.length" class="flex items-center gap-3">
          <span class="caption font-medium">What is tried</span>
          <select v-model="plan.alone" class="field min-w-0 flex-1" data-test="plan-alone">
            <option value="">the whole chain, on {{ count(whole, "case") }}</option>
            <option v-for="each in steps" :key="each.step" :value="each.step">“{{ each.step }}” alone, on {{ count(each.cases, "case") }} of that step</option>
          </select>
        </label>
        <section class="flex gap-8">
          <div class="min-w-0 flex-1">
            <h2 class="caption mb-1 font-medium">Cases</h2>
            <div class="flex flex-wrap gap-1.5">
              <button
                type="button"
                class="button h-slim px-2"
                :class="!plan.like && plan.tags.length + plan.sets.length === 0 ? 'border-kelp bg-kelp-wash text-kelp' : ''"
                :aria-pressed="!plan.like && plan.tags.length + plan.sets.length === 0"
                @click="takeAll"
              >
                all {{ kept }} kept
              </button>
              <button
                v-for="{ name: set, cases: number } in sets"
                :key="`set ${set}`"
                type="button"
                class="button h-slim px-2"
                :class="plan.sets.includes(set) ? 'border-kelp bg-kelp-wash text-kelp' : ''"
                :aria-pressed="plan.sets.includes(set)"
                title="A named set of cases"
                data-test="plan-set"
                @click="toggleSet(set)"
              >
                set: {{ set }} <span class="caption font-mono">{{ number }}</span>
              </button>
              <span v-if="plan.like" class="button h-slim border-kelp bg-kelp-wash px-2 text-kelp">as in T{{ plan.like }}</span>
              <button
                v-for="{ tag, cases: number } in tags.slice(0, 12)"
                :key="tag"
                type="button"
                class="button h-slim px-2"
                :class="plan.tags.includes(tag) ? 'border-kelp bg-kelp-wash text-kelp' : ''"
                :aria-pressed="plan.tags.includes(tag)"
                @click="toggleTag(tag)"
              >
                {{ tag }} <span class="caption font-mono">{{ number }}</span>
              </button>
            </div>
          </div>
          <label class="shrink-0">
            <span class="caption mb-1 block font-medium">Repeats</span>
            <input
              v-model.number="plan.repeats"
              class="field w-16 font-mono"
              type="number"
              min="1"
              max="100"
              data-test="repeats"
              :aria-invalid="problem?.field === 'repeats'"
            />
          </label>
        </section>
        <label v-if="earlier" class="flex items-start gap-2">
          <input type="checkbox" class="mt-1" :checked="plan.asRecorded !== null" data-test="as-recorded" @change="plan.asRecorded = ($event.target as HTMLInputElement).checked ? earlier : null" />
          <span>Take what T{{ earlier }} was asked exactly the same as it is recorded there <span class="caption block">Steps that have not changed cost nothing. An arm that has not changed tells nothing new.</span></span>
        </label>
        <section>
          <h2 class="caption mb-1"><span class="font-medium">Steadiness</span> asks each case in these forms, too: the answer must stay the same</h2>
          <div class="flex flex-wrap gap-1.5" data-test="steadiness">
            <button
              v-for="kind in VARIATIONS"
              :key="kind"
              type="button"
              class="button h-slim px-2"
              :class="plan.steadiness.includes(kind) ? 'border-kelp bg-kelp-wash text-kelp' : ''"
              :aria-pressed="plan.steadiness.includes(kind)"
              :title="VARIED[kind]"
              @click="toggleVariation(kind)"
            >
              {{ kind }}
            </button>
          </div>
        </section>
        <section v-if="plan.arms.length > 1 && plan.checks.length">
          <h2 class="caption mb-1"><span class="font-medium">Main question</span> tested first; it can’t be named afterwards</h2>
          <QuestionRow v-model="plan.question" :arms="plan.arms" :checks="plan.checks" :shown="estimate?.showing.shown ?? []" :titles="titles" />
        </section>
        <section>
          <h2 class="caption mb-1"><span class="font-medium">Checks</span> of this trial alone; the prompt’s own are a key away: <span class="key">C</span></h2>
          <CheckRows v-model="plan.checks" :kinds="kinds.data.value?.kinds ?? []" :wrong="problem?.field ?? null" :sentences="sentences" :faults="faults" :steps="stepNames" />
        </section>
      </template>
    </div>
    <footer v-if="plan" class="border-t border-rule bg-straw-wash/40 p-4">
      <p class="font-serif text-say" data-test="calls">
        {{ count(plan.arms.length, "arm") }} × {{ chosen === null ? "the cases" : count(chosen, "case") }}<template v-if="forms"> and {{ count(forms, "variation") }}</template> × {{ count(plan.repeats || 0, "repeat") }}<template v-if="calls !== null">
          = <b class="font-semibold">{{ isChain ? count(calls, "reading") : count(calls, "call") }}</b><template v-if="isChain && estimate"> in about {{ count(estimate.calls, "call") }}</template></template
        ><template v-if="estimate">, about {{ cents(estimate.cents) }}{{ plan.asRecorded !== null ? ", less what is taken over" : "" }}</template
        ><template v-if="estimate?.judge_calls"> and {{ count(estimate.judge_calls, "call") }} of judges, about {{ cents(estimate.judge_cents) }}</template
        ><template v-if="estimate?.person_calls"> and {{ count(estimate.person_calls, "call") }} of played people, about {{ cents(estimate.person_cents) }}</template>
      </p>
      <p class="caption mb-1 min-h-3.75" data-test="takes">{{ takes }}</p>
      <p v-if="estimate?.steady.length" class="text-sm text-ink-2" data-test="steady-arms">
        At temperature 0 all past repeats of {{ steadyModels }} were alike: more cases tell more than more repeats.
      </p>
      <p v-if="estimate?.unfit" class="text-sm text-rust" role="alert">
        {{ count(estimate.unfit, "request") }} can’t be made: the cases lack an input that a version asks for.
      </p>
      <p v-if="estimate?.too_long" class="text-sm text-rust" role="alert">
        {{ count(estimate.too_long, "request") }} won’t fit the model’s window together with the answer.
      </p>
      <p v-if="!inTheWay && chosen !== null && chosen < FEWEST_CASES" class="text-sm text-straw">
        Fewer than {{ FEWEST_CASES }} cases can’t settle anything, however many repeats. More cases tell more.
      </p>
      <p v-else-if="unexpected" class="text-sm text-ink-2">
        {{ count(unexpected, "case") }} {{ unexpected === 1 ? "expects" : "expect" }} no label, so “label is right” passes
        {{ unexpected === 1 ? "it" : "them" }} over.
      </p>
      <p v-if="plan.steadiness.length && estimate && !estimate.varied" class="text-sm text-straw">The rules of these forms find nothing to change in the cases; talks are left out.</p>
      <p v-if="estimate?.held_out" class="text-sm text-ink-2" data-test="planned-holdout">
        {{ estimate.held_out }} of them {{ estimate.held_out === 1 ? "is" : "are" }} held out: asked, and in no result until somebody looks.
      </p>
      <p v-if="problem" class="mt-1 text-rust" role="alert" data-test="plan-problem">{{ problem.message }}</p>
      <div class="mt-2 flex items-center gap-3">
        <button type="submit" class="button button-main" :disabled="!!inTheWay || starting" data-test="start-trial">
          {{ starting ? "Writing down the calls…" : "Start the trial" }}
        </button>
        <span v-if="inTheWay" class="text-sm text-ink-2" data-test="in-the-way">
          {{ inTheWay }}
          <RouterLink
            v-if="versions.data.value?.length === 0 || kept === 0"
            class="link"
            :to="{ name: versions.data.value?.length === 0 ? 'draft' : 'cases', params: { name } }"
            >Go there</RouterLink
          >
        </span>
      </div>
    </footer>
  </form>
  <div class="flex min-h-0 min-w-0 flex-1 flex-col gap-3">
    <WhatItShows
      v-if="plan && !inTheWay"
      class="shrink"
      :showing="estimate?.showing ?? null"
      :fault="fault"
      :repeats="plan.repeats"
      :arms="plan.arms.length"
    />
    <TrialList :name="name" class="min-h-30" />
  </div>
</template>
