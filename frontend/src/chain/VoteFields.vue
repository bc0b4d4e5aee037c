<script setup lang="ts">
/** What is written of several answers: the most frequent, the best by checks, or what a prompt makes of them. */
import { computed } from "vue";

import type { ChainFault, Prompt } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";
import ChecksField from "./ChecksField.vue";
import ExprField from "./ExprField.vue";
import ModelField from "./ModelField.vue";
import type { Step } from "./steps";

type Vote = Extract<Step, { kind: "vote" }>;
const step = defineModel<Vote>({ required: true });
const props = defineProps<{ faults: ChainFault[] }>();
const set = (more: Partial<Vote>) => (step.value = { ...step.value, ...more });
const how = computed(() => (step.value.merge ? "merged" : step.value.checks?.length ? "best" : "most"));
const faultOf = (...fields: string[]) => props.faults.find((fault) => fields.some((field) => fault.field.startsWith(field)))?.message ?? "";
const LISTED = "{% for each in answers %}Answer {{ loop.index }}:\n{{ each }}\n\n{% endfor %}";
function choose(value: string): void {
  const merge = { model: step.value.model, prompt: { messages: [{ role: "system" as const, parts: [{ name: "Task", text: "Make one answer of these: keep what they agree on, and what is best in each." }] }, { role: "user" as const, parts: [{ name: "Answers", text: LISTED }] }], inputs: [{ name: "answers", kind: "list" as const }], settings: { temperature: 0.2, max_tokens: 400 }, reply: { kind: "text" as const } } satisfies Prompt };
  set({ merge: value === "merged" ? merge : null, checks: value === "best" ? [{ check: "structure.length", options: { most: 100 } }] : [], over: value === "most" ? step.value.over : "" });
}
const told = computed(() => step.value.merge?.prompt.messages?.[0]?.parts?.[0]?.text ?? "");
function tell(text: string): void {
  const merge = step.value.merge!;
  const messages = (merge.prompt.messages ?? []).map((message, m) => (m ? message : { ...message, parts: (message.parts ?? []).map((part, p) => (p ? part : { ...part, text })) }));
  set({ merge: { ...merge, kept: "", prompt: { ...merge.prompt, messages } } });
}
</script>

<template>
  <div class="grid grid-cols-[92px_1fr] items-center gap-x-3">
    <span>Asks it</span>
    <span class="flex flex-wrap items-center gap-x-2 gap-y-1"><input class="field w-14" type="number" min="2" max="25" :value="step.times" aria-label="Times" data-test="vote-times" @change="set({ times: Math.min(25, Math.max(2, Number(($event.target as HTMLInputElement).value) || 2)) })" /> times, and takes <select class="field px-1" :value="how" data-test="vote-how" aria-label="What it takes" @change="choose(($event.target as HTMLSelectElement).value)"><option value="most">the most frequent answer</option><option value="best">the best by checks</option><option value="merged">what a prompt makes of all</option></select></span>
  </div>
  <ExprField v-if="how !== 'merged'" :model-value="step.over ?? ''" label="Of each" hint="the whole answer; or over text and json, as in: json.label" :fault="faultOf('over')" @update:model-value="set({ over: $event.trim() })" />
  <ChecksField v-if="how === 'best'" :model-value="step.checks ?? []" @update:model-value="set({ checks: $event })" />
  <template v-if="step.merge">
    <ModelField :model-value="step.merge.model" label="Merged by" :fault="faultOf('merge.model')" @update:model-value="set({ merge: { ...step.merge, model: $event } })" />
    <div class="grid grid-cols-[92px_1fr] items-start gap-x-3"><span class="pt-1.25">It is told</span><span class="flex min-w-0 flex-col"><TypedField lines class="field field-sizing-content max-h-40 w-full resize-none font-serif" :model-value="told" aria-label="What it is told" data-test="merge-told" @update:model-value="tell" /><span class="caption">{{ faultOf("merge") || "and is shown all answers; the rest of its prompt stands in the YAML" }}</span></span></div>
  </template>
</template>
