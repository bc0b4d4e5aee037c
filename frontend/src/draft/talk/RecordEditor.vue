<script setup lang="ts">
/** A record, field by field: a changed value can be tried at once and put back. */
import { computed, ref } from "vue";

import type { RecordField } from "@/api/schema";
import { asText, valueOf } from "@/parts/values";
import TypedField from "@/parts/TypedField.vue";

const record = defineModel<Record<string, unknown>>({ required: true });
const props = defineProps<{ fields: RecordField[] }>();
const first = ref<Record<string, unknown>>({ ...record.value });
const adding = ref("");
const names = computed(() => [...new Set([...props.fields.map((field) => field.name), ...Object.keys(record.value)])]);
const fieldOf = (name: string) => props.fields.find((field) => field.name === name);
const changed = (name: string) => name in first.value && JSON.stringify(first.value[name]) !== JSON.stringify(record.value[name]);

function put(name: string, text: string): void {
  const was = record.value[name];
  const kind = fieldOf(name)?.kind ?? (typeof was === "number" ? "number" : "text");
  const number = Number(text);
  const value = kind === "number" && text.trim() !== "" && Number.isFinite(number) ? number : typeof was === "object" ? valueOf(text) : text;
  record.value = { ...record.value, [name]: value };
}
function add(): void {
  const name = adding.value.trim();
  if (name && !(name in record.value)) record.value = { ...record.value, [name]: "" };
  adding.value = "";
}
function remove(name: string): void {
  const { [name]: _gone, ...rest } = record.value;
  record.value = rest;
}
</script>

<template>
  <div class="grid w-full grid-cols-[repeat(auto-fill,minmax(270px,1fr))] gap-x-4" data-test="record-editor">
    <div v-for="name in names" :key="name" class="flex items-baseline gap-2">
      <span class="w-19.5 shrink-0 truncate font-mono text-xs" :class="changed(name) ? 'font-semibold text-kelp' : 'text-ink-2'" :title="name">{{ name }}</span>
      <select v-if="fieldOf(name)?.kind === 'choice'" class="min-w-0 flex-1 bg-transparent" :value="asText(record[name])" :aria-label="name" @change="put(name, ($event.target as HTMLSelectElement).value)">
        <option v-for="choice in fieldOf(name)!.choices" :key="choice" :value="choice">{{ choice }}</option>
      </select>
      <TypedField v-else class="min-w-0 flex-1 border-b border-rule-soft bg-transparent font-serif outline-none focus:border-kelp" :model-value="asText(record[name])" :aria-label="name" :data-test="`field-${name}`" @update:model-value="put(name, $event)" />
      <button v-if="changed(name)" type="button" class="link text-xs" :title="`It was ${asText(first[name])}`" @click="record = { ...record, [name]: first[name] }">put back</button>
      <button v-else-if="!fieldOf(name)" type="button" class="link text-xs opacity-0 focus:opacity-100 hover:opacity-100" @click="remove(name)">remove</button>
    </div>
    <form class="flex items-baseline gap-2" @submit.prevent="add">
      <input v-model="adding" class="w-full bg-transparent text-sm outline-none" placeholder="another field…" aria-label="Another field" />
    </form>
  </div>
</template>
