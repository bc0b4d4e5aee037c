<script setup lang="ts">
/** The talk of a walk: what was said by either, what is waited for, and beside it the state as it grows. */
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";

import { useWalkChanges } from "@/api/chains";
import { messageOf } from "@/api/client";
import type { Chain, WalkPage } from "@/api/schema";
import { complain } from "@/frame/notices";
import { cents, count, when } from "@/marks/format";
import { asText } from "@/parts/values";
import { rungsOf } from "../steps";
import { stateOf } from "./stateOf";
import type { Shown } from "./useWalk";
import ValueText from "./ValueText.vue";

const props = defineProps<{ walk: WalkPage; steps: Shown[]; chain: Chain }>();
const emit = defineEmits<{ said: [] }>();
const changes = useWalkChanges();
const text = ref("");
const busy = ref(false);
const end = useTemplateRef<HTMLElement>("end");
const box = useTemplateRef<HTMLTextAreaElement>("box");

const waiting = computed(() => props.walk.pauses.find((pause) => pause.kind === "talk" && pause.word === null) ?? null);
/** The state is the walk's own at its end; until then it is what the steps have written so far. */
const state = computed(() => (props.walk.over ? props.walk.state : stateOf(props.chain, props.steps)));
const newest = computed(() => new Set(Object.keys(props.steps.findLast((step) => Object.keys(step.wrote).length)?.wrote ?? {})));
const opening = computed(() => asText(props.walk.inputs[props.chain.talk?.words ?? Object.keys(props.walk.inputs)[0] ?? ""] ?? ""));
const collects = computed(() => rungsOf(props.chain.steps).some(({ step }) => step?.kind === "collect"));
const running = computed(() => props.steps.findLast((step) => step.running && !["repeat", "each", "both", "route", "call"].includes(step.kind)) ?? null);
/** What the turn took, where each answer is one turn: so the price of passing the talk on is seen to grow. */
function tookOf(turn: number): string {
  if (!props.chain.talk || collects.value) return "";
  const mine = props.steps.filter((step) => step.at.startsWith(`t${turn}.`));
  const sum = (of: (step: Shown) => number) => mine.reduce((total, step) => total + of(step), 0);
  const calls = sum((step) => step.calls);
  return calls ? `${count(calls, "call")} · ${sum((step) => step.input_tokens)} + ${sum((step) => step.output_tokens)} tokens · ${cents(sum((step) => step.cents))}` : "";
}
async function say(word: "said" | "silent"): Promise<void> {
  const pause = waiting.value;
  if (!pause || busy.value || (word === "said" && !text.value.trim())) return;
  busy.value = true;
  try {
    await changes.say(pause.id, { word, value: null, note: word === "said" ? text.value.trim() : "" });
    text.value = "";
  } catch (wrong) {
    complain(messageOf(wrong));
  } finally {
    busy.value = false;
    emit("said");
  }
}
function onEnter(event: KeyboardEvent): void {
  if (event.shiftKey || event.isComposing) return;
  event.preventDefault();
  void say("said");
}
watch(
  () => [props.walk.talk.length, waiting.value?.id, props.walk.over].join(),
  async () => {
    await nextTick();
    end.value?.scrollIntoView({ block: "nearest" });
    if (waiting.value) box.value?.focus({ preventScroll: true });
  },
  { immediate: true },
);
</script>

<template>
  <div class="grid h-full min-h-0 grid-cols-[1fr_200px]" data-test="walk-talk">
    <div class="flex min-h-0 min-w-0 flex-col">
      <div class="min-h-0 flex-1 overflow-auto px-gut py-2" tabindex="0" role="log" aria-label="What was said">
        <p class="caption">{{ walk.played ? "the person of the case" : "the person" }}</p>
        <p class="mb-2 border-l-2 border-slate pl-2 font-serif whitespace-pre-wrap">{{ opening || "(nothing)" }}</p>
        <template v-for="(each, i) in walk.talk" :key="i">
          <p class="caption">{{ ["the chain", tookOf(i + 1)].filter(Boolean).join(" · ") }}</p>
          <p class="mb-2 border-l-2 border-kelp pl-2 font-serif whitespace-pre-wrap" data-test="says">{{ each.says }}</p>
          <template v-if="each.heard !== null">
            <p class="caption">{{ walk.played ? "the person of the case" : "the person" }}</p>
            <p class="mb-2 border-l-2 border-slate pl-2 font-serif whitespace-pre-wrap" data-test="heard">{{ each.heard }}</p>
          </template>
        </template>
        <p v-if="running && !waiting" class="caption" role="status">{{ running.name }}…</p>
        <p v-if="walk.over" class="caption" data-test="talk-over">{{ walk.why }}</p>
        <span ref="end"></span>
      </div>
      <form v-if="waiting" class="flex items-end gap-2 border-t border-rule-soft px-gut py-2" @submit.prevent="say('said')">
        <textarea ref="box" v-model="text" class="field field-sizing-content max-h-30 min-h-8 min-w-0 flex-1 resize-none font-serif" maxlength="20000" placeholder="what the person says" aria-label="What the person says" data-test="talk-text" @keydown.enter="onEnter"></textarea>
        <button type="submit" class="button button-main" :disabled="busy || !text.trim()" data-test="talk-say">Say</button>
        <button type="button" class="button" :disabled="busy" :title="`As if nothing were said until ${when(waiting.until_at)}`" data-test="talk-silent" @click="say('silent')">Silence</button>
      </form>
    </div>
    <aside class="min-h-0 overflow-auto border-l border-rule-soft px-3 py-2" aria-label="State" data-test="talk-state">
      <p class="caption mb-1">the state</p>
      <div v-for="value in chain.state ?? []" :key="value.name" class="mb-1.5" :class="newest.has(value.name) && !walk.over ? 'border-l-2 border-kelp pl-1.5' : ''">
        <span class="block font-mono text-xs text-slate">{{ value.name }}</span>
        <ValueText v-if="state[value.name] !== undefined" :value="state[value.name]" /><span v-else class="text-ink-3">nothing yet</span>
      </div>
      <p v-if="!(chain.state ?? []).length" class="text-ink-3">It keeps nothing.</p>
    </aside>
  </div>
</template>
