<script setup lang="ts">
/** Walk the chain on a case or one's own inputs, and look at a walk: its steps in time, and pauses in it. */
import { useQueryClient } from "@tanstack/vue-query";
import { computed, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { fetchCase, useFoundCases } from "@/api/cases";
import { useWalkChanges, useWalks } from "@/api/chains";
import { messageOf } from "@/api/client";
import type { Chain, WalkPage } from "@/api/schema";
import CaseSearch from "@/cases/CaseSearch.vue";
import InputField from "@/draft/talk/InputField.vue";
import { complain } from "@/frame/notices";
import { recall, remember } from "@/keep/storage";
import { cents, count, duration, when } from "@/marks/format";
import { rungsOf } from "../steps";
import PauseCard from "./PauseCard.vue";
import type { Shown } from "./useWalk";
import WalkBars from "./WalkBars.vue";

const props = defineProps<{ name: string; chain: Chain; blocked: string; walk: WalkPage | null; steps: Shown[]; chosen: string }>();
const emit = defineEmits<{ choose: [at: string]; open: [walk: number | null]; begun: [walk: number]; look: []; compare: [] }>();
const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const changes = useWalkChanges();
const subjectName = computed(() => props.name);
const walks = useWalks(subjectName);
const lines = computed(() => walks.data.value?.pages.flatMap((page) => page.walks) ?? []);
const memory = `walk.${props.name}`;
const kept = recall<{ inputs: Record<string, unknown>; caseNumber: number | null }>(memory);
const inputs = ref<Record<string, unknown>>(kept?.inputs ?? {});
const caseNumber = ref<number | null>(kept?.caseNumber ?? null);
const caseTitle = ref("");
const busy = ref(false);
/** Whether the case says what its person says, and whether they are played, instead of somebody here. */
const hasPerson = ref(false);
const played = ref(true);
const steps_ = computed(() => rungsOf(props.chain.steps).flatMap(({ step }) => (step ? [step] : [])));
const converses = computed(() => !!props.chain.talk || steps_.value.some(({ kind }) => kind === "collect"));
/** What would go out is let out once, never by habit. */
const letsOut = computed(() => steps_.value.some((step) => step.kind === "send" || (step.kind === "tool" && step.tool.changes)));
const goesOut = ref(false);
watch(() => props.walk?.id, () => (goesOut.value = false));
watch([inputs, caseNumber], () => remember(memory, { inputs: inputs.value, caseNumber: caseNumber.value }), { deep: true });

async function choose(number: number | null): Promise<void> {
  caseNumber.value = number;
  caseTitle.value = "";
  hasPerson.value = false;
  if (number === null) return;
  try {
    const page = await fetchCase(queries, props.name, number);
    inputs.value = { ...(page.content.inputs ?? {}) };
    hasPerson.value = !!page.content.person || !!page.content.turns?.length;
    caseTitle.value = page.title;
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}
const empty = computed(() => caseNumber.value === null && !Object.values(inputs.value).some((value) => value !== "" && value != null));
const first = useFoundCases(subjectName, ref(""), 1, empty);
onMounted(() => caseNumber.value !== null && converses.value && void fetchCase(queries, props.name, caseNumber.value).then((page) => (hasPerson.value = !!page.content.person || !!page.content.turns?.length), () => undefined));
watch(
  () => first.data.value?.cases[0],
  (each) => each && empty.value && void choose(each.number),
  { immediate: true },
);

async function begin(): Promise<void> {
  if (props.blocked || busy.value) return;
  busy.value = true;
  try {
    const begun = await changes.begin(props.name, { chain: props.chain, inputs: inputs.value, case: caseNumber.value, played: played.value && hasPerson.value, goes_out: goesOut.value && letsOut.value });
    emit("begun", begun.id);
  } catch (wrong) {
    complain(messageOf(wrong));
  } finally {
    busy.value = false;
  }
}
async function stop(): Promise<void> {
  try {
    if (props.walk) await changes.stop(props.walk.id);
    emit("look");
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}
/** A look at the screen begins with the latest walk, or the one that the address names. */
onMounted(() => {
  const asked = Number(route.query.walk);
  if (asked) emit("open", asked);
});
watch(
  () => lines.value[0]?.id,
  (id) => id !== undefined && !props.walk && !route.query.walk && emit("open", id),
  { immediate: true },
);
watch(
  () => props.walk?.id,
  (id) => id !== undefined && String(id) !== route.query.walk && void router.replace({ query: { ...route.query, walk: String(id) } }),
);
const waiting = computed(() => props.walk?.pauses.filter(({ word, kind }) => word === null && kind === "word") ?? []);
const STATUS: Record<string, string> = { ready: "about to begin", walking: "walking", paused: "waits for a person", done: "done", halted: "ended by a step", refused: "refused", failed: "failed", cap: "ended by a cap", stopped: "stopped" };
const statusOf = (status: string) => STATUS[status] ?? status;
const going = computed(() => !!props.walk && !props.walk.over);
const bad = computed(() => !!props.walk && ["failed", "halted", "cap", "refused", "stopped"].includes(props.walk.status));
defineExpose({ begin });
</script>

<template>
  <section class="panel flex max-h-[56%] min-h-40 shrink-0 flex-col" aria-label="Walk">
    <header class="flex items-center gap-3 border-b border-rule-soft px-gut py-2">
      <span class="shrink-0 font-semibold">Walk it on</span>
      <CaseSearch class="flex-1" :name="name" :shown="caseNumber === null ? 'your own text' : `case ${caseNumber}${caseTitle ? ` · ${caseTitle}` : ''}`" placeholder="words of a case" label="Case to walk it on" test="walk-case" none="your own text" @choose="choose" />
      <button v-if="going" type="button" class="button" data-test="stop-walk" @click="stop">Stop</button>
      <button v-if="!going || walk?.status === 'paused'" type="button" class="button button-main" :disabled="!!blocked || busy" :title="blocked" data-test="begin-walk" @click="begin">Walk</button>
    </header>
    <div class="max-h-24 shrink-0 overflow-auto">
      <div v-for="input in chain.inputs ?? []" :key="input.name" class="flex items-start gap-3 border-b border-rule-soft px-gut py-1.5">
        <span class="w-20 shrink-0 truncate pt-0.75 font-mono text-xs text-slate" :title="input.description || input.name">{{ input.name }}</span>
        <InputField :model-value="inputs[input.name]" :name="input.name" :described="input" @update:model-value="inputs = { ...inputs, [input.name]: $event }" />
      </div>
    </div>
    <div v-if="(converses && hasPerson) || letsOut" class="flex flex-wrap items-center gap-x-4 border-b border-rule-soft px-gut py-1 text-sm">
      <label v-if="converses && hasPerson" class="flex items-center gap-1.5"><input v-model="played" type="checkbox" data-test="played" /> the person of the case talks, not you</label>
      <label v-if="letsOut" class="flex items-center gap-1.5"><input v-model="goesOut" type="checkbox" data-test="goes-out" /> let out what it sends and changes, this once</label>
    </div>
    <p v-if="blocked" class="truncate px-gut py-1 text-sm text-rust" :title="blocked" data-test="walk-blocked">{{ blocked }}</p>
    <div class="flex min-h-7.5 items-center gap-3 border-b border-rule-soft px-gut py-1">
      <select v-if="lines.length" class="field h-6.5 min-w-0 flex-1 px-1 text-sm" :value="walk?.id ?? ''" aria-label="Walk to look at" data-test="walks" @change="emit('open', Number(($event.target as HTMLSelectElement).value))">
        <option v-for="line in lines" :key="line.id" :value="line.id">walk {{ line.id }}, {{ when(line.created_at) }}, {{ statusOf(line.id === walk?.id ? walk.status : line.status) }}: {{ line.changed || line.first_words }}</option>
      </select>
      <button v-if="walks.hasNextPage.value" type="button" class="link shrink-0 text-sm" @click="walks.fetchNextPage()">older</button>
      <span v-if="walk" class="shrink-0 text-sm" :class="bad ? 'text-rust' : going ? 'text-straw' : 'text-ink-2'" data-test="walk-status">{{ statusOf(walk.status) }}<template v-if="walk.over"> · {{ count(walk.calls, "call") }} · {{ duration(walk.ms) }} · {{ cents(walk.cents) }}</template></span>
      <a v-if="walk?.over" class="link shrink-0 text-sm" :href="`/api/v1/walks/${walk.id}/otlp`" download title="As OpenTelemetry spans" data-test="export-walk">export</a>
      <button v-if="walk?.over && lines.length > 1" type="button" class="link shrink-0 text-sm" data-test="compare-walks" @click="emit('compare')">compare</button>
    </div>
    <PauseCard v-for="pause in waiting" :key="pause.id" :pause="pause" class="shrink-0 overflow-auto border-b border-rule-soft" @said="emit('look')" />
    <p v-if="walk && bad" class="truncate px-gut py-1 text-sm text-rust" :title="walk.why" data-test="walk-why">{{ walk.why }}</p>
    <WalkBars v-if="steps.length" :steps="steps" :chosen="chosen" @choose="emit('choose', $event)" />
    <p v-if="walk?.more_steps" class="caption border-t border-rule-soft px-gut py-1">and {{ count(walk.more_steps, "step") }} more, which the export has</p>
    <p v-if="!steps.length && !walk" class="p-gut text-ink-2">No walk yet. Choose a case, or type what the chain is given, and press Walk: each step then shows what it was given, what it wrote, and what that took.</p>
  </section>
</template>
