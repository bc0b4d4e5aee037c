<script setup lang="ts">
import { computed } from "vue";

import type { ModelLine, Settings } from "@/api/schema";
import FindingList from "@/marks/FindingList.vue";
import { cents, count, duration, words } from "@/marks/format";
import MarkedText from "@/marks/MarkedText.vue";
import TickStrip from "@/marks/TickStrip.vue";
import type { Column } from "./useTryOut";

const props = defineProps<{ models: ModelLine[]; settings: Settings; only: boolean }>();
const column = defineModel<Column>({ required: true });
defineEmits<{ remove: []; ask: []; show: [] }>();

const promptTemperature = computed(() => props.settings.temperature ?? null);
/** Settings of the prompt that this model's format has no place for. */
const ignored = computed(() => {
  const names = props.models.find((model) => model.name === column.value.model)?.ignores ?? [];
  return names.filter((name) => props.settings[name as keyof Settings]).map((name) => name.replace("_", " "));
});
const STOPS: Record<string, string> = {
  stop: "finished",
  length: "cut off at the token limit",
  content_filter: "held back by the server",
};
const cutOff = computed(() => column.value.answer?.finish_reason === "length");
const text = computed(() => column.value.answer?.answer ?? column.value.coming.content);
const reasoning = computed(() => column.value.answer?.reasoning ?? column.value.coming.reasoning);
const isJson = computed(() => /^\s*[[{`]/.test(text.value));
/** While only reasoning has come, it is what there is to read. */
const thinking = computed(() => column.value.busy && text.value === "" && reasoning.value !== "");

function setTemperature(text: string): void {
  const value = text.trim() === "" ? null : Number(text);
  if (value === null || (value >= 0 && value <= 2)) column.value.temperature = value;
}
</script>

<template>
  <section class="flex min-w-0 flex-1 flex-col border-r border-rule-soft px-[14px] py-2 last:border-r-0" data-test="column">
    <header class="flex items-center gap-2 border-b border-rule-soft pb-2">
      <select v-model="column.model" class="min-w-0 bg-transparent font-semibold" aria-label="Model" data-test="column-model">
        <option v-for="model in models" :key="model.name" :value="model.name">{{ model.name }}</option>
      </select>
      <label class="flex items-center gap-1 font-mono text-sm text-ink-2" title="Temperature of this column; empty takes the prompt's">
        t
        <input
          class="field h-6 w-[46px] px-1 font-mono text-sm"
          type="number"
          min="0"
          max="2"
          step="0.1"
          :placeholder="promptTemperature === null ? '–' : String(promptTemperature)"
          :value="column.temperature ?? ''"
          aria-label="Temperature of this column"
          @change="setTemperature(($event.target as HTMLInputElement).value)"
        />
      </label>
      <span class="flex-1"></span>
      <button v-if="!only" type="button" class="link text-xs" data-test="remove-column" @click="$emit('remove')">remove</button>
    </header>
    <p v-if="ignored.length" class="caption border-b border-rule-soft py-1" data-test="ignored">
      {{ column.model }}’s format has no {{ ignored.join(" and no ") }}: not sent.
    </p>
    <div class="min-h-0 flex-1 overflow-auto py-3">
      <details v-if="reasoning" class="mb-2" :open="thinking" data-test="reasoning">
        <summary class="caption cursor-pointer">
          Reasoning<template v-if="column.answer">, {{ count(column.answer.reasoning_tokens, "token") }}</template>
        </summary>
        <p class="mt-1 border-l-2 border-rule pl-2 text-sm whitespace-pre-wrap text-ink-2">{{ reasoning }}</p>
      </details>
      <div v-if="text" :class="isJson ? 'font-mono text-base' : 'font-serif text-read'" :data-test="column.answer ? 'answer' : 'coming'"
        ><MarkedText :text="text" :findings="column.answer?.findings ?? []" /><span v-if="column.busy" class="caret" aria-hidden="true"></span
      ></div>
      <p v-if="column.busy" class="mt-1 text-ink-3" role="status">
        {{ text ? "" : thinking ? `${column.model} is thinking…` : `Waiting for ${column.model}…` }}
        <button type="button" class="link" data-test="stop-answer" @click="column.stop?.abort()">stop</button>
      </p>
      <div v-else-if="column.error" role="alert" data-test="column-error">
        <p class="text-rust">{{ column.error }}</p>
        <button type="button" class="link mt-1" @click="$emit('ask')">Ask again</button>
      </div>
      <p v-else-if="column.stopped" class="mt-1 text-sm text-straw" data-test="stopped">
        Stopped here. <button type="button" class="link" @click="$emit('ask')">Ask again</button>
      </p>
      <template v-else-if="column.answer">
        <p v-if="column.answer.answer === ''" class="text-straw">The answer is empty.</p>
        <p v-if="cutOff" class="mt-1 text-sm font-medium text-straw">Cut off here: it reached the token limit.</p>
      </template>
      <p v-else class="text-ink-3">No answer yet.</p>
    </div>
    <footer v-if="column.answer && !column.busy && !column.error" class="flex flex-col gap-2">
      <p class="text-xs text-ink-2 tabular-nums">
        {{ STOPS[column.answer.finish_reason] ?? column.answer.finish_reason }} ·
        {{ count(words(column.answer.answer), "word") }} · {{ column.answer.input_tokens }} + {{ column.answer.output_tokens }} tokens ·
        {{ cents(column.answer.cents) }}
        <span class="block"
          ><template v-if="column.answer.first_ms !== null">first token after {{ duration(column.answer.first_ms) }}, </template>all after
          {{ duration(column.answer.total_ms) }}</span
        >
      </p>
      <div class="flex h-5 items-center gap-3">
        <TickStrip :marks="column.marks" />
        <span class="caption">{{ count(column.marks.length, "answer") }} to just this</span>
        <span class="flex-1"></span>
        <button type="button" class="link text-xs" @click="$emit('show')">exact request</button>
      </div>
      <div class="max-h-[148px] overflow-auto border-t border-rule-soft pt-2 text-sm">
        <FindingList :findings="column.answer.findings" />
        <p v-for="why in column.answer.not_checked" :key="why" class="caption mt-1">{{ why }}</p>
      </div>
    </footer>
  </section>
</template>
