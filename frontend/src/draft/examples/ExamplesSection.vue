<script setup lang="ts">
/** Worked pairs that are shown to the model: inputs and the answer to them. */
import { useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";

import { fetchCase } from "@/api/cases";
import { messageOf } from "@/api/client";
import type { DraftProblem, Example, Prompt } from "@/api/schema";
import CaseSearch from "@/cases/CaseSearch.vue";
import { complain } from "@/frame/notices";
import { useChange } from "../change";
import { asText, isPicture, valueOf } from "@/parts/values";
import TypedField from "@/parts/TypedField.vue";

const prompt = defineModel<Prompt>({ required: true });
const props = defineProps<{ inputs: string[]; name: string; problems: DraftProblem[]; doubts: DraftProblem[]; placed: boolean }>();
const emit = defineEmits<{ insert: [text: string] }>();
const CALL = "{{ examples() }}";
const examples = computed(() => prompt.value.examples ?? []);
const queries = useQueryClient();
const change = useChange();
const columns = computed(() => {
  const used = examples.value.flatMap((example) => Object.keys(example.inputs ?? {}));
  return [...new Set([...props.inputs, ...used])];
});
const problem = computed(() => props.problems.find((each) => each.field.startsWith("examples")));

/** Why the model would learn a wrong shape from it. */
const doubtOf = (at: number) => props.doubts.find((each) => each.field === `examples.${at}.answer`)?.message;

function put(at: number, change: Partial<Example>): void {
  prompt.value.examples = examples.value.map((each, i) => (i === at ? { ...each, ...change } : each));
}
function setInput(at: number, name: string, text: string): void {
  put(at, { inputs: { ...examples.value[at]!.inputs, [name]: valueOf(text) } });
}
function remove(at: number): void {
  const before = examples.value;
  change(`Example ${at + 1} is gone.`, () => (prompt.value.examples = before.filter((_, i) => i !== at)));
}
function move(at: number): void {
  const moved = [...examples.value];
  [moved[at - 1], moved[at]] = [moved[at]!, moved[at - 1]!];
  prompt.value.examples = moved;
}
function add(example: Example): void {
  prompt.value.examples = [...examples.value, example];
}
async function addCase(number: number | null): Promise<void> {
  if (number === null) return;
  try {
    const { content } = await fetchCase(queries, props.name, number);
    add({ inputs: content.inputs, answer: content.expect?.answer ?? content.expect?.label ?? "", origin: `case ${number}` });
  } catch (error) {
    complain(messageOf(error));
  }
}
</script>

<template>
  <div class="flex flex-col gap-2">
    <div v-if="examples.length" class="flex items-center gap-4">
      <span class="caption">Sent</span>
      <label v-for="how in (['messages', 'text'] as const)" :key="how" class="flex items-center gap-1">
        <input
          type="radio"
          name="examples-as"
          class="accent-kelp"
          :checked="(prompt.examples_as ?? 'messages') === how"
          :data-test="`examples-as-${how}`"
          @change="prompt.examples_as = how"
        />
        {{ how === "messages" ? "as messages before the last" : "inside the text" }}
      </label>
      <button v-if="prompt.examples_as === 'text' && !placed" type="button" class="link text-sm" @click="emit('insert', CALL)">
        Put {{ CALL }} where the cursor was
      </button>
    </div>
    <p v-if="problem" class="text-sm text-rust" role="alert">{{ problem.message }}</p>
    <div v-for="(example, at) in examples" :key="at" class="grid grid-cols-[22px_1fr_auto] gap-x-2 border-b border-rule-soft pb-2" data-test="example">
      <input
        type="checkbox"
        class="mt-1.25 h-3.25 self-start accent-kelp"
        :checked="!example.off"
        :aria-label="`Show example ${at + 1}`"
        :title="example.off ? 'Off: not sent' : 'On'"
        @change="put(at, { off: !($event.target as HTMLInputElement).checked })"
      />
      <div class="flex min-w-0 flex-col gap-1" :class="example.off ? 'opacity-55' : ''">
        <label v-for="name in columns" :key="name" class="flex gap-2">
          <span class="w-19 shrink-0 truncate pt-0.75 font-mono text-xs text-slate">{{ name }}</span>
          <span v-if="isPicture(example.inputs?.[name])" class="caption pt-0.75">a picture</span>
          <TypedField
            lines
            v-else
            class="field-sizing-content max-h-22.5 w-full resize-none bg-transparent font-serif text-base outline-none focus:bg-white"
            :model-value="asText(example.inputs?.[name])"
            :placeholder="`${name} of the example`"
            @update:model-value="setInput(at, name, $event)"
          />
        </label>
        <label class="flex gap-2">
          <span class="w-19 shrink-0 pt-0.75 text-xs text-kelp">answer</span>
          <TypedField
            lines
            class="field-sizing-content max-h-22.5 w-full resize-none bg-transparent font-serif text-base outline-none focus:bg-white"
            :model-value="example.answer"
            placeholder="what would be right"
            :aria-label="`Answer of example ${at + 1}`"
            @update:model-value="put(at, { answer: $event })"
          />
        </label>
        <p v-if="doubtOf(at)" class="text-sm text-straw" data-test="example-doubt">{{ doubtOf(at) }}</p>
        <span v-if="example.origin" class="caption">from {{ example.origin }}</span>
      </div>
      <span class="flex gap-2 text-xs">
        <button v-if="at > 0" type="button" class="link" @click="move(at)">up</button>
        <button type="button" class="link" :aria-label="`Remove example ${at + 1}`" @click="remove(at)">remove</button>
      </span>
    </div>
    <p v-if="examples.length === 0" class="text-ink-3">No examples yet. Two or three often settle what words can't.</p>
    <div class="flex items-center gap-3">
      <button type="button" class="link text-sm" data-test="add-example" @click="add({ inputs: {}, answer: '' })">Add an example</button>
      <CaseSearch class="w-65" :name="name" shown="" placeholder="or take one from a case" label="Take one from a case" test="example-from-case" @choose="addCase" />
    </div>
  </div>
</template>
