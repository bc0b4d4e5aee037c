<script setup lang="ts">
/** A value for an input, edited in the way of its kind. */
import { computed } from "vue";

import type { Input } from "@/api/schema";
import { complain } from "@/frame/notices";
import PassagesEditor from "./PassagesEditor.vue";
import RecordEditor from "./RecordEditor.vue";
import { asText, isPicture } from "@/parts/values";
import TypedField from "@/parts/TypedField.vue";

const value = defineModel<unknown>({ required: true });
const props = defineProps<{ name: string; described: Input | undefined }>();
const kind = computed(() => props.described?.kind ?? "text");
const text = computed(() => asText(value.value));
const lines = computed(() => (Array.isArray(value.value) ? value.value.map(asText).join("\n") : text.value));
const hint = computed(() => {
  const { default: standard, example, description } = props.described ?? {};
  if (standard != null && standard !== "") return `${asText(standard)} (where none is given)`;
  if (example != null && example !== "") return `e.g. ${asText(example)}`;
  return description || `Type ${props.name} here`;
});
const image = computed(() => (isPicture(value.value) ? value.value : ""));
const MOST_BYTES = 10_000_000;

function takeImage(event: Event): void {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (!file) return;
  if (file.size > MOST_BYTES) {
    complain(`${file.name} has ${file.size.toLocaleString("en")} bytes; the limit is ${MOST_BYTES.toLocaleString("en")}.`);
    return;
  }
  const reader = new FileReader();
  reader.onload = () => (value.value = String(reader.result).replace(/^data:[^;]*;/, (start) => (start.startsWith("data:image/") ? start : "data:image/unknown;")));
  reader.readAsDataURL(file);
}
</script>

<template>
  <select v-if="kind === 'choice'" class="field h-7 min-w-40 px-1" :value="text" :data-test="`input-${name}`" :aria-label="name" @change="value = ($event.target as HTMLSelectElement).value">
    <option value="">{{ described?.default ? `${described.default} (where none is given)` : "choose…" }}</option>
    <option v-for="choice in described?.choices" :key="choice" :value="choice">{{ choice }}</option>
    <option v-if="text && !described?.choices?.includes(text)" :value="text">{{ text }} (not one of them)</option>
  </select>
  <div v-else-if="kind === 'image'" class="flex min-w-0 items-center gap-3">
    <img v-if="image" :src="image" :alt="name" class="h-14 max-w-30 border border-rule object-contain" />
    <label class="link cursor-pointer text-sm"
      >{{ image ? "another picture" : "choose a picture" }}
      <input type="file" accept="image/png,image/jpeg,image/gif,image/webp" class="sr-only" :data-test="`input-${name}`" @change="takeImage" />
    </label>
    <button v-if="image" type="button" class="link text-sm" @click="value = ''">none</button>
  </div>
  <div v-else-if="kind === 'passages'" class="min-w-0">
    <p v-if="described?.look_up && !(Array.isArray(value) && value.length)" class="text-ink-2" data-test="looked-up-in">looked up in <b class="font-medium">{{ described.look_up.collection }}</b>, {{ described.look_up.version ? `version ${described.look_up.version}` : "its newest version" }}, unless given here</p>
    <PassagesEditor v-model="value" />
  </div>
  <RecordEditor
    v-else-if="kind === 'record' || (kind === 'text' && typeof value === 'object' && value !== null && !Array.isArray(value))"
    :model-value="(value as Record<string, unknown>) || {}"
    :fields="described?.fields ?? []"
    @update:model-value="value = $event"
  />
  <TypedField
    lines
    v-else
    class="field-sizing-content max-h-30 w-full resize-none bg-transparent font-serif text-read outline-none"
    :model-value="kind === 'list' ? lines : text"
    :inputmode="kind === 'number' ? 'decimal' : undefined"
    :placeholder="kind === 'list' ? `One ${name} a line` : hint"
    :aria-label="name"
    :data-test="`input-${name}`"
    @update:model-value="value = $event"
  />
</template>
