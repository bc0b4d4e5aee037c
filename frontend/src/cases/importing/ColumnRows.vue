<script setup lang="ts">
/** What the columns of a file mean, each with the first of its values; put right by hand. */
import type { ColumnShape } from "@/api/schema";

const props = defineProps<{ columns: ColumnShape[]; inputs: string[] }>();
const emit = defineEmits<{ change: [columns: ColumnShape[]] }>();

const MEANINGS: Record<Exclude<ColumnShape["means"], "input">, string> = {
  leave: "leave it out",
  label: "the label that is right",
  answer: "an answer that is right",
  must_say: "words it must say",
  must_not_say: "words it must not say",
  known: "whether the inputs tell (yes, no)",
  refuse: "whether to decline (yes, no)",
  tags: "tags",
  tag: "a tag, with the column’s name",
  turn: "what the person says next",
  key: "its id there",
  note: "a note",
  owner: "who answers for it",
  origin: "where it came from",
};
const valueOf = (column: ColumnShape) => (column.means === "input" ? `input ${column.input}` : column.means);
/** Inputs of the prompt, and those that a column is besides. */
const offered = () => [...new Set([...props.inputs, ...props.columns.filter((each) => each.means === "input").map((each) => each.input)])];

function choose(at: number, value: string): void {
  const input = value.startsWith("input ") ? value.slice(6) : "";
  const means = input ? "input" : (value as ColumnShape["means"]);
  emit("change", props.columns.map((each, place) => (place === at ? { ...each, means, input } : each)));
}
/** A name for an input that the prompt does not ask for yet, from that of the column. */
const asName = (name: string) => name.toLowerCase().replace(/[^a-z0-9]+/g, "_").replace(/^(?=\d)/, "_").replace(/^_|_$/g, "") || "input";
</script>

<template>
  <ul class="max-h-[30vh] overflow-auto border-t border-rule-soft" data-test="columns">
    <li v-for="(column, at) in columns" :key="column.name" class="grid grid-cols-[minmax(90px,160px)_1fr_260px] items-center gap-3 border-b border-rule-soft py-1">
      <span class="truncate font-mono text-sm" :title="column.name">{{ column.name }}</span>
      <span class="truncate font-serif" :class="column.means === 'leave' ? 'text-ink-3' : ''" :title="column.first.join('\n')">{{ column.first.join(" · ") || "nothing in the first rows" }}</span>
      <select
        class="field px-1"
        :class="column.means === 'leave' ? 'text-ink-2' : ''"
        :value="valueOf(column)"
        :aria-label="`What the column ${column.name} means`"
        :data-test="`column-${column.name}`"
        @change="choose(at, ($event.target as HTMLSelectElement).value)"
      >
        <optgroup label="an input">
          <option v-for="input in offered()" :key="input" :value="`input ${input}`">{{ input }}</option>
          <option v-if="!offered().includes(asName(column.name))" :value="`input ${asName(column.name)}`">{{ asName(column.name) }} (not in the prompt yet)</option>
        </optgroup>
        <optgroup label="else">
          <option v-for="(told, means) in MEANINGS" :key="means" :value="means">{{ told }}</option>
        </optgroup>
      </select>
    </li>
  </ul>
</template>
