<script setup lang="ts">
/** The try-out: one text, answered by each column's model; then the talk that follows. */
import { useQueryClient } from "@tanstack/vue-query";
import { useRoute } from "vue-router";
import { computed, defineAsyncComponent, ref, useTemplateRef, watch } from "vue";

import { labelsOf } from "../reply/labels";
import { fetchRequest } from "@/api/tries";
import { faultOf } from "@/api/fault";
import { fetchCase, useCase, useFoundCases } from "@/api/cases";
import { messageOf } from "@/api/client";
import { cheapestAndDearest, useModels } from "@/api/models";
import { useVersions } from "@/api/subjects";
import type { ExactRequest as Request, Example, KeptTry, Prompt } from "@/api/schema";
import CaseSearch from "@/cases/CaseSearch.vue";
import { useKeys } from "@/frame/keys";
import { complain } from "@/frame/notices";
import { cents, count } from "@/marks/format";
import { changedSince, nameOf, setupOf } from "./columns";
import InputField from "./InputField.vue";
import TalkBar from "./TalkBar.vue";
import TryColumn from "./TryColumn.vue";
import { useTokens } from "./useTokens";
import { asText } from "@/parts/values";
import { useTryOut } from "./useTryOut";

const TryHistory = defineAsyncComponent(() => import("../history/TryHistory.vue"));
const ExactRequest = defineAsyncComponent(() => import("../request/ExactRequest.vue"));
const SeveralCases = defineAsyncComponent(() => import("./SeveralCases.vue"));
const KeepCase = defineAsyncComponent(() => import("./KeepCase.vue"));

const props = defineProps<{ name: string; prompt: Prompt; edits: number; inputNames: string[]; blocked: string }>();
const emit = defineEmits<{ models: [names: string[]]; example: [example: Example]; bring: [content: Prompt] }>();
const MOST_COLUMNS = 6;
const models = useModels();
const subjectName = computed(() => props.name);
const versions = useVersions(subjectName);
const queries = useQueryClient();
const tryOut = useTryOut(props.name, {
  prompt: () => props.prompt,
  edits: () => props.edits,
  inputNames: () => props.inputNames,
});
const { inputs, columns, repeats, oneSeed, spent, busy, caseNumber, expect, changed, caseTurns, byRules, hasRules, userTurns, plays } = tryOut;
/** The case that is on its way; who asks meanwhile means that one. */
let choosing: Promise<unknown> | null = null;
const request = ref<Request | null>(null);
const requestError = ref("");
const showing = ref(false);
const keeping = ref(false);
const looking = ref(false);
const { request: now, built } = useTokens(props.name, () => (columns.value[0] && !props.blocked ? tryOut.bodyFor(columns.value[0]) : null), () => {
  const { model, settings, version, past, said } = columns.value[0] ?? {};
  return JSON.stringify([props.edits, props.blocked, tryOut.sent.value, model, settings, version, past?.length, said]);
});

watch(() => columns.value.map((column) => column.model), (names) => emit("models", names), { immediate: true });
watch(
  () => models.data.value?.models,
  (list) => {
    if (!list || columns.value.length) return;
    for (const model of cheapestAndDearest(list)) tryOut.addColumn({ model: model.name, settings: {}, version: null });
  },
  { immediate: true },
);
const empty = computed(() => caseNumber.value === null && props.inputNames.every((input) => !inputs.value[input]));
const kept = useCase(subjectName, caseNumber);
watch(() => kept.data.value, (page) => page && tryOut.know(page), { immediate: true });
/** A first look begins with the first case. */
const first = useFoundCases(subjectName, ref(""), 1, empty);
watch(
  () => first.data.value?.cases[0],
  (each) => {
    if (each && empty.value) void choose(each.number);
  },
  { immediate: true },
);

/** Several cases at once stand in the place of one. */
const route = useRoute();
const several = ref(!!route.query.cases);
const manyOf = useTemplateRef<{ ask: () => void }>("manyOf");
function justOne(number: number): void {
  several.value = false;
  void choose(number);
}

const described = (input: string) => props.prompt.inputs?.find((each) => each.name === input);
const shownInputs = computed(() => props.inputNames.filter((input) => described(input)?.kind !== "dialogue"));
const chosen = computed(() => (kept.data.value?.number === caseNumber.value ? kept.data.value : null));
const expected = computed(() => (changed.value ? "" : (expect.value.label ?? "")));
const converses = computed(
  () => props.prompt.reply?.kind !== "json" || userTurns.value.length > 0 || caseTurns.value.length > 0 || hasRules.value || !!props.prompt.inputs?.some((each) => each.kind === "dialogue"),
);
const answered = computed(() => columns.value.some((column) => column.answer));

async function choose(number: number | null): Promise<void> {
  if (number === null) {
    choosing = null;
    tryOut.useCase(null);
    inputs.value = Object.fromEntries(props.inputNames.map((input) => [input, described(input)?.example ?? ""]));
    return;
  }
  const coming = fetchCase(queries, props.name, number);
  choosing = coming;
  const typed = () => JSON.stringify(props.inputNames.map((input) => asText(inputs.value[input])));
  const before = typed();
  try {
    const page = await coming;
    // What was typed meanwhile is not overwritten: who types goes on with what was there.
    if (choosing === coming && typed() === before) tryOut.useCase(page);
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}

async function showRequest(at = 0): Promise<void> {
  const column = columns.value[at];
  if (!column) return;
  showing.value = true;
  request.value = null;
  requestError.value = "";
  if (column.answer) {
    request.value = column.answer.request;
    return;
  }
  try {
    const body = tryOut.bodyFor(column);
    if (body) request.value = await fetchRequest(props.name, body);
  } catch (wrong) {
    requestError.value = messageOf(wrong);
  }
}

function duplicate(at: number): void {
  const from = columns.value[at] ?? columns.value.at(-1);
  tryOut.addColumn(from ? setupOf(from) : { model: cheapestAndDearest(models.data.value?.models ?? [])[0]?.name ?? "", settings: {}, version: null });
}

function asExample(at: number): void {
  const { answer, asked } = columns.value[at] ?? {};
  if (answer && asked) emit("example", { inputs: asked.inputs, answer: answer.answer, origin: "a try" });
}

function bringBack(kept: KeptTry): void {
  looking.value = false;
  emit("bring", kept.content);
  tryOut.bringBack(kept.asked);
  if (columns.value[0] && !kept.asked.turns?.length) columns.value[0].answer = kept.answered;
}

const labels = computed(() => labelsOf(props.prompt.reply));
const tokensNow = computed(() => {
  const built = now.value;
  if (!built) return "";
  const used = (100 * built.tokens) / built.window;
  return `${count(built.tokens, "token")}, ${used < 1 ? "<1" : Math.round(used)}%`;
});
async function play(): Promise<void> {
  await choosing?.catch(() => undefined);
  if (!props.blocked && tryOut.plays.value) void tryOut.play();
}
const ask = async () => {
  await choosing?.catch(() => undefined);
  if (!props.blocked) void tryOut.askAll();
};
useKeys([
  { keys: { "ctrl+enter": () => void (several.value ? manyOf.value?.ask() : ask()) }, shown: ["Ctrl ↵"], label: "answer" },
  { keys: { p: () => void play() }, shown: ["P"], label: "play the talk" },
  { keys: { k: () => (keeping.value = true) }, shown: ["K"], label: "keep as case" },
  { keys: { r: () => void showRequest() }, shown: ["R"], label: "exact request" },
  { keys: { h: () => (looking.value = true) }, shown: ["H"], label: "history" },
]);
</script>

<template>
  <div v-if="several" class="flex min-w-0 flex-1 flex-col gap-3">
    <SeveralCases ref="manyOf" :name="name" :prompt="prompt" :edits="edits" :setup="columns[0]" :blocked="blocked" @close="several = false" @one="justOne" />
  </div>
  <div v-else class="flex min-w-0 flex-1 flex-col gap-3">
    <section class="panel">
      <header class="flex items-center gap-3 border-b border-rule-soft px-gut py-2">
        <span class="shrink-0 font-semibold">Try it on</span>
        <CaseSearch
          class="flex-1"
          :name="name"
          :shown="caseNumber === null ? 'your own text' : `case ${caseNumber}${chosen ? ` · ${chosen.title}` : ''}`"
          placeholder="words of a case"
          label="Case to try it on"
          test="try-case"
          none="your own text"
          @choose="choose"
        />
        <button type="button" class="link shrink-0 text-sm" data-test="try-several" @click="several = true">several</button>
        <span class="caption shrink-0">{{ changed ? "changed here, so nothing is expected" : expected ? `expects ${expected}` : "" }}</span>
      </header>
      <div class="max-h-42.5 overflow-auto">
        <div
          v-for="input in shownInputs"
          :key="input"
          class="flex items-start gap-3 border-b border-rule-soft px-gut py-1.75 last:border-b-0"
        >
          <span class="w-22 shrink-0 truncate pt-0.75 font-mono text-xs text-slate" :title="described(input)?.description || input">{{ input }}</span>
          <InputField v-model="inputs[input]" :name="input" :described="described(input)" />
        </div>
        <p v-if="inputNames.length === 0" class="px-gut py-2 text-ink-3">
          The draft asks for no inputs. Write <code class="chip">&#123;&#123; message &#125;&#125;</code> in a part to have one.
        </p>
      </div>
    </section>

    <section class="panel flex min-h-0 flex-1 flex-col">
      <div class="flex min-h-0 flex-1 overflow-x-auto">
        <TryColumn
          v-for="(column, at) in columns"
          :key="column.id"
          v-model="columns[at]!"
          :class="columns.length > 2 ? 'min-w-59' : ''"
          :models="models.data.value?.models ?? []"
          :versions="(versions.data.value ?? []).map((each) => each.number)"
          :prompt="prompt"
          :only="columns.length === 1"
          :full="columns.length >= MOST_COLUMNS"
          :busy="busy"
          :since="changedSince(column, tryOut.sent.value, edits)"
          @remove="tryOut.removeColumn(column.id)"
          @duplicate="duplicate(at)"
          @ask="tryOut.ask(column.id)"
          @show="showRequest(at)"
          @example="asExample(at)"
          @edit="(turn, text) => tryOut.editTurn(turn, text)"
        />
        <p v-if="faultOf(models)" class="p-4 text-rust">{{ messageOf(faultOf(models)) }}</p>
        <p v-else-if="models.data.value?.models.length === 0" class="p-4">
          There is no model yet. Start Epistem with <code class="chip">epistem up</code>, which brings stand-in models.
        </p>
      </div>
      <TalkBar
        v-if="converses && (answered || userTurns.length || plays)"
        :plays="plays && !blocked && columns.length > 0"
        :turns="userTurns"
        :case-turns="caseTurns"
        :by-rules="byRules"
        :busy="busy"
        :ready="answered"
        @next="tryOut.sayNext"
        @replay="tryOut.replay()"
        @over="tryOut.startOver"
        @play="play"
      />
    </section>

    <section class="panel flex items-center gap-2 px-gut py-2 max-wide:flex-wrap max-wide:gap-1 max-wide:[&_.button]:px-1.75">
      <button v-if="busy" type="button" class="button" @click="tryOut.stopAll()">Stop</button>
      <button
        v-else
        type="button"
        class="button button-main"
        :disabled="!!blocked || columns.length === 0"
        :title="blocked"
        data-test="answer-button"
        @click="ask"
      >
        {{ answered ? "Answer again" : "Answer" }}
      </button>
      <select v-model.number="repeats" class="field px-1" title="How often each column is asked" aria-label="How often each column is asked" data-test="try-repeats">
        <option v-for="times in [1, 3, 5, 10, 20]" :key="times" :value="times">{{ times === 1 ? "once" : `${times} times` }}</option>
      </select>
      <label v-if="columns.length > 1" class="flex items-center gap-1 text-sm whitespace-nowrap" title="Differences then come from the columns alone, where the servers keep to seeds">
        <input v-model="oneSeed" type="checkbox" class="accent-kelp" data-test="one-seed" /> same seed
      </label>
      <button type="button" class="button" data-test="keep-case" @click="keeping = true">Keep as case</button>
      <button type="button" class="button" :disabled="!!blocked" data-test="exact-request" @click="showRequest()">Exact request</button>
      <button type="button" class="button" data-test="history" @click="looking = true">History</button>
      <span class="flex-1"></span>
      <span v-if="blocked" class="truncate text-sm text-rust" :title="blocked">{{ blocked }}</span>
      <span v-else class="min-w-0 text-right text-xs leading-[15px] text-ink-3 max-wide:flex max-wide:basis-full max-wide:justify-end max-wide:gap-3">
        <span class="block truncate tabular-nums" data-test="tokens-now" :data-built="built" :title="`Of the window of ${columns[0]?.model}, as the draft stands`">{{ tokensNow }}</span>
        <span v-if="spent.calls" class="block truncate">{{ count(spent.calls, "call") }}, {{ cents(spent.cents) }}</span>
      </span>
    </section>
  </div>
  <ExactRequest :open="showing" :request="request" :error="requestError" @close="showing = false" />
  <TryHistory :open="looking" :name="name" @close="looking = false" @bring="bringBack" />
  <KeepCase
    :open="keeping"
    :name="name"
    :inputs="tryOut.sent.value"
    :turns="userTurns"
    :labels="labels"
    :suggested="expected || null"
    :answers="columns.flatMap(({ answer, asked }) => (answer && asked ? [{ name: nameOf(asked), inputs: asked.inputs, text: answer.answer, value: answer.value }] : []))"
    @close="keeping = false"
  />
</template>
