<script setup lang="ts">
/** A question, what it finds and why, and how well the questions that are kept find what they should. */
import { computed, ref, useTemplateRef } from "vue";

import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import { useKnowledgeChanges, useLookUp, useLookUpCases } from "@/api/knowledge";
import type { CollectionPage, LookingUp, LookUpCaseShape, PassageFound } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { recall, rememberText } from "@/keep/storage";
import { ordinal } from "@/marks/format";
import { useRested } from "@/parts/useRested";
import LookUpSettings from "./LookUpSettings.vue";
import MeasureLookUps from "./MeasureLookUps.vue";

const props = defineProps<{ collection: CollectionPage; version: number | null }>();
const emit = defineEmits<{ show: [reference: string] }>();
const memory = computed(() => `look up.${props.collection.name}`);
const remembered = recall<{ question: string; looking: LookingUp }>(memory.value);
const question = ref(remembered?.question ?? "");
const looking = ref<LookingUp>({ method: "words", most: 5, ...remembered?.looking, collection: props.collection.name });
const measuring = ref(false);
const rested = useRested(() => {
  rememberText(memory.value, JSON.stringify({ question: question.value, looking: looking.value }));
  return question.value.trim();
}, 200);
/** By words it follows what is typed; where a model is asked for a vector, only when it is told to. */
const byWords = computed(() => (looking.value.method ?? "words") === "words");
const told = ref(question.value.trim());
const ask = () => (told.value = question.value.trim());
const asked = computed(() => (byWords.value ? rested.value : told.value));
const settled = useRested(() => ({ ...looking.value, version: props.version ?? undefined }), 200);
const found = useLookUp(computed(() => props.collection.name), asked, settled);
const hits = computed(() => (asked.value ? (found.data.value?.passages ?? []) : []));
const cases = useLookUpCases(computed(() => props.collection.name));
const changes = useKnowledgeChanges(() => props.collection.name);
/** The look-up case of this question, if it is kept. */
const kept = computed(() => cases.data.value?.cases.find((each) => each.question.trim() === asked.value) ?? null);
const field = useTemplateRef<HTMLTextAreaElement>("field");
defineExpose({ focus: () => field.value?.focus() });

async function mark(hit: Hit): Promise<void> {
  const before = kept.value;
  const wanted = before?.wanted.includes(hit.reference) ? before.wanted.filter((each) => each !== hit.reference) : [...(before?.wanted ?? []), hit.reference];
  try {
    if (before) await changes.changeCase(before.id, { question: before.question, wanted });
    else {
      const made = await changes.keepCase({ question: asked.value, wanted });
      say("The question is kept as a look-up case.", () => void changes.putCaseAway(made.id, true));
    }
  } catch (error) {
    complain(messageOf(error));
  }
}
function again(each: LookUpCaseShape): void {
  measuring.value = false;
  question.value = each.question;
  ask();
}

type Hit = PassageFound & { words: number[][] };
interface Piece {
  text: string;
  word: boolean;
}
/** The text in pieces, those that are words of the question marked; places count code points. */
function pieces(hit: { text: string; words: number[][] }): Piece[] {
  const letters = [...hit.text];
  const told: Piece[] = [];
  let at = 0;
  for (const [start, end] of hit.words as [number, number][]) {
    if (start > at) told.push({ text: letters.slice(at, start).join(""), word: false });
    told.push({ text: letters.slice(start, end).join(""), word: true });
    at = end;
  }
  if (at < letters.length) told.push({ text: letters.slice(at).join(""), word: false });
  return told;
}
function why(hit: Hit): string {
  if (hit.beside) return "stands beside one that was found";
  const told = [hit.by_words && `${ordinal(hit.by_words)} by words`, hit.by_meaning && `${ordinal(hit.by_meaning)} by meaning`].filter(Boolean).join(", ");
  return `${told} · score ${hit.score.toPrecision(3)}`;
}
</script>

<template>
  <section class="panel flex min-h-0 flex-col" aria-label="Look-ups">
    <header class="flex items-center gap-4 border-b border-rule px-gut py-head" role="group" aria-label="Bench of look-ups">
      <b class="flex-1 font-semibold">Look-up bench</b>
      <button type="button" class="text-sm" :class="measuring ? 'link' : 'font-semibold'" :aria-pressed="!measuring" data-test="ask-bench" @click="measuring = false">Ask</button>
      <button type="button" class="text-sm" :class="measuring ? 'font-semibold' : 'link'" :aria-pressed="measuring" data-test="measure-bench" @click="measuring = true">Measure {{ cases.data.value?.kept ?? 0 }}</button>
    </header>
    <MeasureLookUps v-if="measuring" :collection="collection" :version="version" :looking="looking" @again="again" @show="(reference) => emit('show', reference)" />
    <template v-else>
      <div class="flex flex-col gap-2 border-b border-rule-soft px-gut py-3">
        <textarea ref="field" v-model="question" rows="2" class="field field-sizing-content max-h-32 w-full font-serif text-read" placeholder="Ask as a person would" aria-label="Question" data-test="question" @keydown.enter.exact.prevent="ask" @change="ask"></textarea>
        <p v-if="!byWords && question.trim() !== told" class="caption">Enter asks the model for the question’s vector</p>
        <LookUpSettings v-model="looking" :can-mean="!!collection.embeds_with" />
      </div>
      <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="What is found">
        <p v-if="asked && faultOf(found)" class="p-gut text-rust" role="alert">{{ messageOf(faultOf(found)) }}</p>
        <p v-else-if="!asked" class="p-gut text-ink-2">What a question finds stands here, with the words that led to it. Mark a passage as right, and the question is kept as a look-up case: by those, settings are compared under Measure.</p>
        <p v-else-if="found.isPending.value" class="p-gut text-ink-2" role="status">Looking…</p>
        <p v-else-if="!hits.length" class="p-gut text-straw" data-test="nothing-found">Nothing is found. A prompt would be told that nothing was, and should say so.</p>
        <ol v-else>
          <li v-for="hit in hits" :key="hit.reference" class="border-b border-rule-soft px-gut py-2" :class="hit.beside ? 'opacity-75' : ''" data-test="hit">
            <p class="flex items-baseline gap-3">
              <button type="button" class="link font-mono text-sm" :title="`Read ${hit.reference}`" @click="emit('show', hit.reference)">{{ hit.reference }}</button>
              <span class="caption min-w-0 flex-1 truncate" :title="hit.title">{{ hit.title }}</span>
              <button type="button" class="shrink-0 text-sm" :class="kept?.wanted.includes(hit.reference) ? 'font-semibold text-kelp' : 'link'" :aria-pressed="kept?.wanted.includes(hit.reference) ?? false" data-test="mark-right" @click="mark(hit)">{{ kept?.wanted.includes(hit.reference) ? "✓ right" : "right" }}</button>
            </p>
            <p class="line-clamp-5 font-serif whitespace-pre-line"><template v-for="(piece, at) in pieces(hit)" :key="at"><mark v-if="piece.word" class="bg-transparent font-semibold text-kelp underline decoration-1 underline-offset-2">{{ piece.text }}</mark><template v-else>{{ piece.text }}</template></template></p>
            <p class="caption tabular-nums">{{ why(hit) }} · {{ hit.tokens }} tokens</p>
          </li>
        </ol>
      </div>
    </template>
  </section>
</template>
