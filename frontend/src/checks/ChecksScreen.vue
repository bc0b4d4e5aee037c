<script setup lang="ts">
/** What every answer must be, as sentences; beside it a bench where findings move as options do. */
import { computed, ref } from "vue";
import { useRoute } from "vue-router";

import { useChainSteps } from "@/api/chains";
import { useCheckKinds } from "@/api/checks";
import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import type { BenchAnswer, CheckExample, CheckUse, OfferShape, SubjectPage } from "@/api/schema";
import { fetchSubject, useSubjectChanges } from "@/api/subjects";
import { useKeys } from "@/frame/keys";
import { useKeptDocument } from "@/keep/useKeptDocument";
import FindingList from "@/marks/FindingList.vue";
import { count } from "@/marks/format";
import MarkedText from "@/marks/MarkedText.vue";
import { alike } from "@/parts/values";
import AskJudge from "./AskJudge.vue";
import CheckRows from "./CheckRows.vue";
import OwnWords from "./OwnWords.vue";
import OverTrial from "./OverTrial.vue";
import { freeId } from "./ids";
import { useSentences } from "./useSentences";

const TRIES = 5;
const name = String(useRoute().params.name);
const changes = useSubjectChanges();
const kinds = useCheckKinds();
const kept = useKeptDocument<SubjectPage, CheckUse[]>(
  {
    load: () => fetchSubject(name),
    send: (checks, page) => changes.setChecks(page, checks),
    contentOf: (page) => page.checks,
    revisionOf: (page) => page.checks_revision,
    merge: (base, mine, theirs) => (alike(base, mine) ? { content: theirs, both: [] } : { content: mine, both: alike(base, theirs) ? [] : ["the checks"] }),
  },
  { place: `checks.${name}`, saves: "as typed" },
);
const { content: checks, status, error, both } = kept;
const { names: steps } = useChainSteps(ref(name), () => kept.page.value?.kind === "chain");
const chosen = ref<number | null>(null);
const text = ref("");

const { bench, page, sentences, faults, trust } = useSentences(ref(name), () => checks.value, () => ({ text: text.value || null, tries: TRIES }));
const findingsOf = (answer: BenchAnswer) => (chosen.value === null ? answer.findings : answer.findings.filter((each) => page.value?.of[each.measure] === chosen.value));
const failed = (answer: BenchAnswer) => answer.findings.filter((finding) => finding.passed === false).length;
const kind = computed(() => (chosen.value === null ? null : (kinds.data.value?.kinds.find((each) => each.key === checks.value?.[chosen.value!]?.check) ?? null)));
/** One that the prompt's own words ask for; a judge still wants its model. */
function take(offer: OfferShape): void {
  const uses = checks.value ?? [];
  const model = offer.check.startsWith("judge.") ? uses.map((use) => use.options?.model).find((each) => typeof each === "string" && each) : undefined;
  checks.value = [...uses, { check: offer.check, options: { ...offer.options, ...(model ? { model } : {}) }, margin: 2, id: freeId(uses, offer.check) }];
  chosen.value = uses.length;
}
/** Of a judge by a criterion those of that criterion. */
function examplesOf(all: CheckExample[]): CheckExample[] {
  const criterion = checks.value?.[chosen.value ?? -1]?.options?.criterion ?? "relevance";
  return kind.value?.asks ? all.filter((each) => each.options.criterion === criterion) : all;
}
/** Options by their values alone: `EUR 12.50`, `json.total <= 100`. */
function inShort(options: Record<string, unknown>): string {
  const told = Object.values(options).map((each) => (each !== null && typeof each === "object" ? JSON.stringify(each) : String(each)));
  return told.join(" · ").slice(0, 80) || "the usual options";
}
/** The options that most of its examples have. */
const usual = computed(() => JSON.stringify(examplesOf(kind.value?.good ?? [])[0]?.options ?? {}));
const told = computed(() => {
  if (status.value === "AWAY") return "the server is away; kept in this browser";
  if (status.value === "REFUSED") return "not kept yet";
  return status.value === "KEPT" ? "kept as you change them; trials and tries take them" : "keeping…";
});

useKeys([
  {
    keys: {
      j: () => (chosen.value = Math.min((chosen.value ?? -1) + 1, (checks.value?.length ?? 1) - 1)),
      k: () => (chosen.value = Math.max((chosen.value ?? 1) - 1, 0)),
      x: () => (chosen.value = null),
    },
    shown: ["J", "K", "X"],
    label: "one check, all",
  },
  { keys: { a: () => document.querySelector<HTMLElement>('[data-test="add-check"]')?.focus() }, shown: ["A"], label: "add a check" },
]);
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-edge py-3">
    <section class="panel flex w-[48%] min-w-110 flex-col">
      <header class="border-b border-rule px-4 py-head">
        <span class="block font-semibold" data-test="checks-title">What every answer must be</span>
        <span class="caption block" :class="status === 'AWAY' ? 'text-straw' : ''" data-test="checks-kept">{{ told }}</span>
      </header>
      <div class="min-h-0 flex-1 overflow-auto px-4 py-2">
        <p v-if="error && !checks" class="text-rust" role="alert">{{ error }} <button type="button" class="link" @click="kept.reload()">Try again</button></p>
        <div v-else-if="!checks" class="flex flex-col gap-3 py-2" role="status" aria-label="Loading"><div v-for="n in 4" :key="n" class="h-7 bg-paper"></div></div>
        <template v-else>
          <p v-if="error" class="text-sm text-rust" role="alert">{{ error }}</p>
          <p v-if="both.length" class="text-sm text-straw" role="status">The checks were changed elsewhere, too; yours stand.</p>
          <CheckRows v-model="checks" v-model:chosen="chosen" :kinds="kinds.data.value?.kinds ?? []" :sentences="sentences" :faults="faults" :trust="trust" :steps="steps" :wrong="null" />
          <OwnWords :name="name" :checks="checks" :kept="status === 'KEPT'" @add="take" />
        </template>
      </div>
      <div v-if="kind" class="max-h-[38%] overflow-auto border-t border-rule px-4 py-2" data-test="own-examples">
        <div class="grid grid-cols-2 gap-4">
          <div v-for="[what, list] in [['passes', examplesOf(kind.good)], ['does not', examplesOf(kind.bad)]] as const" :key="what" class="min-w-0">
            <p class="caption">{{ what }}</p>
            <button
              v-for="(example, at) in list"
              :key="at"
              type="button"
              class="block w-full truncate border-b border-rule-soft py-0.75 text-left font-serif text-base hover:bg-paper"
              :title="`${example.text || '(empty)'}${Object.keys(example.options).length ? `\n${JSON.stringify(example.options)}` : ''}`"
              @click="text = example.text"
            >
              {{ example.text || "(empty)" }}<span v-if="JSON.stringify(example.options) !== usual" class="caption ml-1.5">{{ inShort(example.options) }}</span>
            </button>
          </div>
        </div>
      </div>
    </section>
    <section class="panel flex min-w-0 flex-1 flex-col" data-test="bench">
      <header class="flex items-center gap-3 border-b border-rule px-4 py-head">
        <span class="min-w-0 flex-1">
          <span class="block font-semibold">Bench</span>
          <span class="caption block truncate">{{ chosen === null ? "all checks" : sentences[chosen]?.join(" · ") }}, on your text and on the latest tries; no model is asked</span>
        </span>
        <button v-if="chosen !== null" type="button" class="button" @click="chosen = null">All checks</button>
      </header>
      <div class="border-b border-rule-soft p-4">
        <textarea
          v-model="text"
          rows="3"
          class="field field-sizing-content max-h-42.5 w-full font-serif text-read"
          placeholder="Paste an answer, or choose one of a check’s own examples"
          aria-label="An answer to judge"
          data-test="bench-text"
        ></textarea>
      </div>
      <div class="min-h-0 flex-1 overflow-auto">
        <OverTrial v-if="chosen !== null && checks?.[chosen] && kind" :name="name" :use="checks[chosen]!" :checks="checks" :asks="kind.asks" />
        <p v-if="faultOf(bench)" class="p-4 text-rust" role="alert" data-test="bench-fault">{{ messageOf(faultOf(bench)) }}</p>
        <article v-for="(answer, at) in page?.answers" :key="at" class="border-b border-rule-soft px-4 py-2" data-test="bench-answer">
          <p class="flex gap-3">
            <span class="min-w-0 flex-1 truncate font-medium">{{ answer.source }}<span v-if="answer.asked" class="caption"> · {{ answer.asked }}</span></span>
            <span class="caption" :class="failed(answer) ? 'text-rust' : ''">{{ failed(answer) ? `${count(failed(answer), "finding")} against it` : "passes all" }} · {{ answer.ms.toFixed(1) }} ms</span>
          </p>
          <div class="max-h-37.5 overflow-auto font-serif text-read"><MarkedText :text="answer.text" :findings="findingsOf(answer)" /></div>
          <FindingList class="mt-1 text-sm" :findings="findingsOf(answer)" :most="chosen === null ? 3 : undefined" />
          <p v-if="answer.mended !== null" class="mt-1 border-l-2 border-kelp pl-2" data-test="mended">
            <span class="caption block">mended by rule</span>
            <span class="font-serif text-read whitespace-pre-wrap">{{ answer.mended || "(nothing is left)" }}</span>
          </p>
          <AskJudge v-if="chosen !== null && kind?.asks && checks?.[chosen]" :name="name" :use="checks[chosen]!" :answer="answer" />
        </article>
        <p v-if="page && page.answers.length === 0" class="p-4 text-ink-2">Nothing to judge yet: paste an answer above, or try the draft once.</p>
      </div>
    </section>
  </main>
</template>
