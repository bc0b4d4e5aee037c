<script setup lang="ts">
/** What one step of a walk was given and wrote, and what can be done from there. */
import { computed, ref, watch } from "vue";

import { useStepCalls, useWalkChanges, useWalkStep } from "@/api/chains";
import { useQueryClient } from "@tanstack/vue-query";

import { fetchCase, useCaseChanges } from "@/api/cases";
import { api, got, messageOf } from "@/api/client";
import { useStale } from "@/api/stale";
import type { Chain, WalkPage } from "@/api/schema";
import FindingText from "@/answer/ToolUses.vue";
import { complain, say } from "@/frame/notices";
import { cents, count, duration } from "@/marks/format";
import { rungsOf, stepOfPlace } from "../steps";
import { asText, valueLike } from "@/parts/values";
import StepCalls from "./StepCalls.vue";
import type { Shown } from "./useWalk";
import ValueText from "./ValueText.vue";

const props = defineProps<{ walk: WalkPage; step: Shown; chain: Chain; edited: boolean }>();
/** The page has long values cut; of the step that is looked at there is more. */
const whole = useWalkStep(computed(() => props.walk.id), computed(() => props.step.at), () => props.walk.over && !props.step.running);
const given = computed(() => (whole.data.value?.at === props.step.at ? whole.data.value.given : props.step.given));
const wrote = computed(() => (whole.data.value?.at === props.step.at ? whole.data.value.wrote : props.step.wrote));
/** `compare`: it is held beside the one that it replays once it is over. */
const emit = defineEmits<{ begun: [id: number, compare: boolean] }>();
const changes = useWalkChanges();
const stale = useStale();
const queries = useQueryClient();
const cases = useCaseChanges(() => props.walk.subject);
const asking = ref(false);
const editing = ref<Record<string, string> | null>(null);
/** What it should have written. */
const right = ref<Record<string, string> | null>(null);
const busy = ref(false);
watch(() => [props.walk.id, props.step.at].join(), () => ((editing.value = right.value = null), (asking.value = false)));
const calls = useStepCalls(computed(() => props.walk.id), computed(() => props.step.at), () => asking.value);
const values = computed(() => new Set((props.chain.state ?? []).map(({ name }) => name)));
/** What of the state could be otherwise before it. */
const editable = computed(() => Object.entries(given.value).filter(([name]) => values.value.has(name)));
const facts = computed(() => [props.step.model, props.step.calls ? count(props.step.calls, "call") : "", props.step.calls ? `${props.step.input_tokens} + ${props.step.output_tokens} tokens` : "", props.step.ms ? duration(props.step.ms) : "", props.step.cents ? cents(props.step.cents) : ""].filter(Boolean).join(" · "));

async function replay(more: { chain?: Chain; edits?: Record<string, unknown>; instead?: Record<string, unknown>; alone?: boolean; changed?: string }): Promise<void> {
  busy.value = true;
  try {
    const begun = await changes.begin(props.walk.subject, { inputs: props.walk.inputs, case: props.walk.case, of_walk: props.walk.id, from_step: props.step.at, ...more });
    editing.value = right.value = null;
    emit("begun", begun.id, !!more.instead);
  } catch (wrong) {
    complain(messageOf(wrong));
  } finally {
    busy.value = false;
  }
}
/** The version of a prompt that it asks: its input there can be kept as a case of that prompt. */
const asked = computed(() => {
  const place = stepOfPlace(props.step.at);
  const there = rungsOf(props.chain.steps).find(({ at }) => at === place)?.step;
  return there && (there.kind === "ask" || there.kind === "vote") ? (there.kept ?? "").split("@")[0]! : "";
});
async function keepCase(): Promise<void> {
  const subject = asked.value || props.walk.subject;
  const step = asked.value ? "" : props.step.name;
  try {
    await got(api.POST("/api/v1/subjects/{name}/cases", { params: { path: { name: subject } }, body: { inputs: given.value, ...(step ? { step } : {}), tags: ["step"], origin: `walk ${props.walk.id} of ${props.walk.subject}` } }));
    await stale.cases(subject);
    say(step ? `It is a case of the step “${step}” now: chosen above, that step is walked alone.` : `It is a case of ${subject} now.`);
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}
/** As the values that they were: a number stays one. */
const asTyped = (typed: Record<string, string>, before: Record<string, unknown>) => Object.fromEntries(Object.entries(typed).map(([name, text]) => [name, valueLike(before[name], text)]));
const writable = computed(() => Object.entries(wrote.value).filter(([name]) => values.value.has(name)));
function sayRight(): void {
  right.value = Object.fromEntries(writable.value.map(([name, value]) => [name, asText(value)]));
}
function goOnRight(): void {
  void replay({ instead: asTyped(right.value ?? {}, wrote.value), changed: `${props.step.name} as it should have been` });
}
/** So blame knows it, and whoever reads the case. */
async function keepRight(): Promise<void> {
  const number = props.walk.case;
  if (number === null) return;
  busy.value = true;
  try {
    const page = await fetchCase(queries, props.walk.subject, number);
    const typed = asTyped(right.value ?? {}, wrote.value);
    const told = Object.keys(typed).length === 1 ? Object.values(typed)[0] : typed;
    const expect = page.content.expect ?? {};
    const content = { ...page.content, expect: { ...expect, steps: { ...expect.steps, [props.step.name]: told } } };
    await cases.change(number, page.revision, content);
    say(`Case ${number} says now what “${props.step.name}” should write.`);
  } catch (wrong) {
    complain(messageOf(wrong));
  } finally {
    busy.value = false;
  }
}
function edit(): void {
  editing.value = Object.fromEntries(editable.value.map(([name, value]) => [name, asText(value)]));
}
function replayEdited(): void {
  const edits = Object.fromEntries(Object.entries(editing.value ?? {}).filter(([name, text]) => text !== asText(given.value[name])).map(([name, text]) => [name, valueLike(given.value[name], text)]));
  if (!Object.keys(edits).length) return say("Nothing is changed yet.");
  void replay({ edits, changed: `${Object.keys(edits).join(", ")} edited before ${props.step.name}` });
}
</script>

<template>
  <div class="flex flex-col gap-2 px-gut py-2" data-test="step-in-walk">
    <p class="caption">{{ facts || (step.passed_over ? "passed over: its condition was not true" : step.running ? "being done" : "took next to no time") }}</p>
    <p v-if="step.fault" class="border-l-2 border-rust pl-2 text-rust" role="alert" data-test="walk-fault">{{ step.fault }}</p>
    <div class="grid grid-cols-2 gap-4">
      <section aria-label="It was given">
        <p class="caption mb-0.5">it was given</p>
        <template v-if="!editing">
          <div v-for="(value, name) in given" :key="name" class="mb-1.5"><span class="block font-mono text-xs text-slate">{{ name }}</span><ValueText :value="value" /></div>
          <p v-if="!Object.keys(given).length" class="text-ink-3">nothing</p>
        </template>
        <template v-else>
          <label v-for="(_, name) in editing" :key="name" class="mb-1.5 block"><span class="block font-mono text-xs text-slate">{{ name }}</span><textarea v-model="editing[name]" class="field field-sizing-content max-h-50 w-full font-mono text-xs" :aria-label="`${name} as it should be`" :data-test="`edit-${name}`"></textarea></label>
          <p v-if="!editable.length" class="text-ink-3">It reads nothing of the state, so there is nothing to change before it.</p>
        </template>
      </section>
      <section aria-label="It wrote">
        <p class="caption mb-0.5">{{ step.running ? "it is writing" : "it wrote" }}</p>
        <p v-if="step.running && step.text" class="font-serif whitespace-pre-wrap">{{ step.text }}<span class="caret" aria-hidden="true"></span></p>
        <template v-if="right"
          ><label v-for="(_, name) in right" :key="name" class="mb-1.5 block"><span class="block font-mono text-xs text-kelp">{{ name }}, as it should be</span><textarea v-model="right[name]" class="field field-sizing-content max-h-50 w-full font-mono text-xs" :aria-label="`${name} as it should be`" :data-test="`right-${name}`"></textarea></label
        ></template>
        <div v-for="(value, name) in right ? {} : wrote" :key="name" class="mb-1.5" data-test="wrote"><span class="block font-mono text-xs text-kelp">{{ name }}</span><ValueText :value="value" /></div>
        <p v-if="!step.running && !Object.keys(wrote).length" class="text-ink-3">nothing{{ step.told ? `: ${step.told}` : "" }}</p>
      </section>
    </div>
    <details v-if="step.reasoning" class="border-l-2 border-rule pl-2"><summary class="caption cursor-pointer">reasoning, kept apart from the answer</summary><p class="font-serif text-sm whitespace-pre-wrap text-ink-2">{{ step.reasoning }}</p></details>
    <FindingText v-if="step.tools.length" :uses="step.tools" />
    <p v-for="found in step.found" :key="found.input" class="text-sm text-ink-2">{{ count(found.passages.length, "passage") }} of {{ found.collection }}: {{ found.passages.join(", ") || "none" }}</p>
    <div v-if="step.said?.length" data-test="step-said">
      <template v-for="(each, i) in step.said" :key="i"><p class="border-l-2 border-kelp pl-2 font-serif">{{ each.says }}</p><p class="mb-1 border-l-2 border-slate pl-2 font-serif">{{ each.heard ?? "(nothing was said)" }}</p></template>
    </div>
    <div v-if="walk.over && !step.running" class="flex flex-wrap items-center gap-x-2 gap-y-1.5 border-t border-rule-soft pt-2">
      <template v-if="editing">
        <button type="button" class="button button-main" :disabled="busy || !editable.length" data-test="replay-edited" @click="replayEdited">Replay with this</button>
        <button type="button" class="button" @click="editing = null">Leave it</button>
      </template>
      <template v-else-if="right">
        <button type="button" class="button button-main" :disabled="busy" title="What is asked the same after it is answered as recorded" data-test="right-on" @click="goOnRight">See what follows from it</button>
        <button v-if="walk.case !== null" type="button" class="button" :disabled="busy" data-test="right-keep" @click="keepRight">Keep it in case {{ walk.case }}</button>
        <button type="button" class="button" @click="right = null">Leave it</button>
      </template>
      <template v-else>
        <button type="button" class="button" :disabled="busy" title="Everything before is as recorded; from here on it is asked anew" data-test="walk-on" @click="replay({ changed: `asked anew from ${step.name}` })">Walk on from here</button>
        <button type="button" class="button" title="Change what it was given, and see what follows" data-test="change-replay" @click="edit">Change and replay</button>
        <button v-if="writable.length" type="button" class="button" title="Say what it should have written, and see what follows" data-test="right-answer" @click="sayRight">Right answer</button>
        <button type="button" class="button" :disabled="busy" title="This step by itself, as the draft has it, on what it was given here" data-test="walk-alone" @click="replay({ chain, alone: true, changed: `${step.name} alone` })">Try it alone</button>
        <button v-if="edited && !walk.alone" type="button" class="button" :disabled="busy" title="What is asked the same is answered as recorded" data-test="replay-draft" @click="replay({ chain, changed: 'the draft as it is now' })">Replay with the draft</button>
        <button v-if="Object.keys(given).length" type="button" class="link ml-1 text-sm" :title="asked ? 'What it was given, as a case of its prompt' : 'What it was given, as a case of this step alone'" data-test="keep-step-case" @click="keepCase">Keep as case</button>
        <button v-if="step.calls || step.kind === 'tool'" type="button" class="link ml-1 text-sm" data-test="exact-requests" @click="asking = true">Exact requests</button>
      </template>
    </div>
  </div>
  <StepCalls :open="asking" :name="step.name" :calls="calls.data.value?.calls ?? []" :pending="calls.isPending.value" @close="asking = false" />
</template>
