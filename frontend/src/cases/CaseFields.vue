<script setup lang="ts">
/** The fields of a case: its inputs, what is expected, tags, and what is worth knowing of it. */
import { computed, nextTick, ref, useTemplateRef } from "vue";

import LabelField from "@/parts/LabelField.vue";
import { isPicture } from "@/parts/values";
import type { Texts } from "./editing";
import MovesField from "./pairs/MovesField.vue";
import RulesField from "./RulesField.vue";
import TalkFields from "./TalkFields.vue";
import TurnsField from "./TurnsField.vue";

const texts = defineModel<Texts>({ required: true });
/** `offered` are the things in an answer that can move. */
withDefaults(defineProps<{ labels: string[]; offered?: string[] }>(), { offered: () => [""] });

const EXPECTED = [
  ["known", "Do the inputs say what is asked?", "yes: it answers", "no: it says so"],
  ["refuse", "Should it decline?", "yes: it declines", "no: it answers"],
] as const;

const converses = computed(() => {
  const { turns, person, ends, collect } = texts.value;
  return turns.length > 0 || person.rules.length > 0 || person.persona !== null || !!ends || !!collect;
});
/** Rarely said: they are shown where they are, or asked for. */
const more = ref(false);
const showsTools = computed(() => more.value || !!(texts.value.tools || texts.value.neverTools || texts.value.within || texts.value.toolAnswers || texts.value.query || texts.value.source));
const root = useTemplateRef<HTMLElement>("root");
/** Put the focus into a field, or into the first. */
async function focus(field: string): Promise<void> {
  if (["tools", "neverTools", "within", "toolAnswers", "query", "source"].includes(field)) more.value = true;
  await nextTick();
  const name = field.startsWith("turn ") ? "turns" : field;
  const within = (name && root.value?.querySelector(`[data-field="${CSS.escape(name)}"]`)) || root.value;
  const found = within?.querySelectorAll<HTMLElement>("textarea, input, select");
  const at = field.startsWith("turn ") ? Number(field.slice(5)) : 0;
  (found?.[at] ?? found?.[0])?.focus();
}
defineExpose({ focus });
</script>

<template>
  <div ref="root" class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-4">
    <label v-for="(_, input) in texts.inputs" :key="input" class="flex flex-col gap-1" :data-field="input">
      <span class="font-mono text-xs text-slate">{{ input }}</span>
      <img v-if="isPicture(texts.inputs[input])" :src="texts.inputs[input]" :alt="String(input)" class="max-h-50 self-start border border-rule" />
      <textarea
        v-else
        v-model="texts.inputs[input]"
        rows="3"
        class="field field-sizing-content max-h-85 min-h-19.5 w-full font-serif text-read"
        :data-test="`case-input-${input}`"
      ></textarea>
    </label>
    <div data-field="turns"><TurnsField v-model="texts.turns" /></div>
    <div data-field="person"><RulesField v-model="texts.person" /></div>
    <label v-if="converses" class="flex flex-col gap-1" data-field="ends">
      <span>How should the talk end?</span>
      <select v-model="texts.ends" class="field px-1" data-test="case-ends">
        <option value="">before its limit</option>
        <option value="done">done: the person has nothing left to say</option>
        <option value="gave up">given up: the person leaves</option>
        <option value="silent">silent: the person says nothing any more</option>
        <option value="too long">too long: it reaches its limit</option>
      </select>
    </label>
    <TalkFields v-if="converses" v-model="texts" />
    <div v-if="texts.moves" data-field="moves"><MovesField v-model="texts.moves" :offered="offered" /></div>
    <div class="grid grid-cols-2 gap-4" data-field="label">
      <LabelField v-model="texts.label" :labels="labels" />
      <label class="flex flex-col gap-1">
        <span>Others that are right <span class="caption">(with commas)</span></span>
        <input v-model="texts.labels" class="field" data-test="case-labels" />
      </label>
    </div>
    <label class="flex flex-col gap-1" data-field="answer">
      <span>An answer that would be right <span class="caption">(for you, and to show as an example)</span></span>
      <textarea v-model="texts.answer" rows="1" class="field field-sizing-content max-h-50 w-full font-serif"></textarea>
    </label>
    <div class="grid grid-cols-2 gap-4">
      <label class="flex flex-col gap-1" data-field="mustSay">
        <span>It must say <span class="caption">(one a line; a | b is either)</span></span>
        <textarea v-model="texts.mustSay" rows="1" class="field field-sizing-content max-h-30 w-full font-serif" data-test="case-must-say"></textarea>
      </label>
      <label class="flex flex-col gap-1" data-field="mustNotSay">
        <span>It must not say <span class="caption">(one a line)</span></span>
        <textarea v-model="texts.mustNotSay" rows="1" class="field field-sizing-content max-h-30 w-full font-serif" data-test="case-must-not-say"></textarea>
      </label>
    </div>
    <div class="grid grid-cols-2 gap-4">
      <label v-for="[field, told, yes, no] in EXPECTED" :key="field" class="flex flex-col gap-1" :data-field="field">
        <span>{{ told }}</span>
        <select v-model="texts[field]" class="field px-1" :data-test="`case-${field}`">
          <option value="">nothing is expected</option>
          <option value="yes">{{ yes }}</option>
          <option value="no">{{ no }}</option>
        </select>
      </label>
    </div>
    <label v-if="showsTools" class="flex flex-col gap-1" data-field="toolAnswers">
      <span>What tools answer here <span class="caption">(one a line, before what the prompt says that they answer)</span></span>
      <textarea v-model="texts.toolAnswers" rows="1" class="field field-sizing-content max-h-30 w-full font-mono text-sm" placeholder='book {"seats": 2}: Two seats are free.' data-test="case-tool-answers"></textarea>
    </label>
    <div v-if="showsTools" class="grid grid-cols-[minmax(0,2fr)_minmax(0,2fr)_minmax(0,1.2fr)] gap-4">
      <label class="flex flex-col gap-1" data-field="tools">
        <span title="In this order, one a line">Tools it calls</span>
        <textarea v-model="texts.tools" rows="1" class="field field-sizing-content max-h-30 w-full font-mono text-sm" placeholder='book {"seats": 2}' data-test="case-tools"></textarea>
      </label>
      <label class="flex flex-col gap-1" data-field="neverTools">
        <span title="One a line">Tools it never calls</span>
        <textarea v-model="texts.neverTools" rows="1" class="field field-sizing-content max-h-30 w-full font-mono text-sm"></textarea>
      </label>
      <label class="flex flex-col gap-1" data-field="within">
        <span>Numbers within</span>
        <input v-model="texts.within" class="field" type="number" min="0" step="any" />
      </label>
    </div>
    <div v-if="showsTools" class="grid grid-cols-[minmax(0,4fr)_minmax(0,1.2fr)] gap-4">
      <label class="flex flex-col gap-1" data-field="query">
        <span>Reference query <span class="caption">(an answer that is a query has to give the same rows)</span></span>
        <textarea v-model="texts.query" rows="1" class="field field-sizing-content max-h-30 w-full font-mono text-sm" placeholder="SELECT …" data-test="case-query"></textarea>
      </label>
      <label class="flex flex-col gap-1" data-field="source">
        <span>On the source</span>
        <input v-model="texts.source" class="field font-mono text-sm" data-test="case-source" />
      </label>
    </div>
    <button v-if="!showsTools" type="button" class="link self-start text-sm" data-test="more-expected" @click="more = true">Tools, queries, and how far numbers may be off</button>
    <label class="flex flex-col gap-1" data-field="tags">
      <span>Tags <span class="caption">(commas between)</span></span>
      <input v-model="texts.tags" class="field" placeholder="e.g. hard, two wishes" data-test="case-tags" />
    </label>
    <div class="grid grid-cols-[minmax(0,2fr)_minmax(0,2fr)_minmax(0,1.2fr)] gap-4">
      <label class="flex flex-col gap-1" data-field="labelled">
        <span title="Who gave it which label, one a line">Labels by people</span>
        <textarea v-model="texts.labelled" rows="1" class="field field-sizing-content max-h-30 w-full" placeholder="Ann: refund" data-test="case-labelled"></textarea>
      </label>
      <label class="flex flex-col gap-1" data-field="note">
        <span>Note</span>
        <textarea v-model="texts.note" rows="1" class="field field-sizing-content max-h-30 w-full" placeholder="What is worth knowing of it"></textarea>
      </label>
      <label class="flex flex-col gap-1" data-field="owner">
        <span title="Who answers for it">Owner</span>
        <input v-model="texts.owner" class="field" />
      </label>
    </div>
    <slot></slot>
  </div>
</template>
