<script setup lang="ts">
/** Passages that are given to the model: a title and a text each. */
import { computed } from "vue";
import TypedField from "@/parts/TypedField.vue";

const value = defineModel<unknown>({ required: true });
interface Passage {
  title: string;
  text: string;
}
const rows = computed<Passage[]>(() =>
  (Array.isArray(value.value) ? value.value : []).map((each: unknown) =>
    typeof each === "object" && each !== null
      ? { title: String((each as Partial<Passage>).title ?? ""), text: String((each as Partial<Passage>).text ?? "") }
      : { title: "", text: String(each) },
  ),
);
const put = (at: number, change: Partial<Passage>) => (value.value = rows.value.map((row, i) => (i === at ? { ...row, ...change } : row)));
</script>

<template>
  <div class="flex w-full flex-col" data-test="passages-editor">
    <div v-for="(row, at) in rows" :key="at" class="flex items-start gap-2">
      <span class="caption w-5 shrink-0 pt-1 text-right">{{ at + 1 }}</span>
      <TypedField class="w-30 shrink-0 bg-transparent pt-0.5 font-semibold outline-none focus:bg-white" :model-value="row.title" placeholder="title" :aria-label="`Title of passage ${at + 1}`" @update:model-value="put(at, { title: $event })" />
      <TypedField lines class="field-sizing-content max-h-20 min-w-0 flex-1 resize-none bg-transparent font-serif text-base outline-none focus:bg-white" :model-value="row.text" placeholder="what it says" :aria-label="`Passage ${at + 1}`" @update:model-value="put(at, { text: $event })" />
      <button type="button" class="link text-xs" @click="value = rows.filter((_, i) => i !== at)">remove</button>
    </div>
    <button type="button" class="link self-start text-sm" data-test="add-passage" @click="value = [...rows, { title: '', text: '' }]">Add a passage</button>
  </div>
</template>
