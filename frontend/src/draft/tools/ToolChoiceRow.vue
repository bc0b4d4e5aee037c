<script setup lang="ts">
/** Whether the model has to call a tool, several at once, and how often it may. */
import { computed } from "vue";

import type { ToolChoice } from "@/api/schema";

const choice = defineModel<ToolChoice | null | undefined>({ required: true });
defineProps<{ tools: string[]; problem: string | undefined }>();
const now = computed<ToolChoice>(() => choice.value ?? {});
/** As one value: `auto`, `must`, `none`, or `this` with a name. */
const chosen = computed(() => (now.value.choice === "this" ? `this ${now.value.this ?? ""}` : (now.value.choice ?? "auto")));
const set = (more: Partial<ToolChoice>) => (choice.value = { ...now.value, ...more });
function choose(value: string): void {
  if (value.startsWith("this ")) set({ choice: "this", this: value.slice(5) });
  else set({ choice: value as ToolChoice["choice"], this: "" });
}
const text = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm" data-test="tool-choice">
    <label class="flex items-center gap-1.5"
      >The model
      <select class="field h-7 px-1 text-sm" :value="chosen" aria-label="Whether it has to call a tool" data-test="choice" @change="choose(text($event))">
        <option value="auto">calls a tool when it wants</option>
        <option value="must">has to call one first</option>
        <option v-for="name in tools" :key="name" :value="`this ${name}`">has to call {{ name }} first</option>
        <option v-if="now.choice === 'this' && !tools.includes(now.this ?? '')" :value="chosen">has to call {{ now.this || "one" }} (not there)</option>
        <option value="none">may call none</option>
      </select>
    </label>
    <label class="flex items-center gap-1.5"><input type="checkbox" class="accent-kelp" :checked="now.several ?? true" data-test="several" @change="set({ several: ($event.target as HTMLInputElement).checked })" />several at once</label>
    <label class="flex items-center gap-1.5">in at most <input type="number" class="field h-7 w-14 font-mono text-sm" min="1" max="20" :value="now.rounds ?? 8" aria-label="Rounds at most" data-test="rounds" @change="set({ rounds: Math.min(Math.max(Number(text($event)) || 8, 1), 20) })" /> rounds</label>
    <p v-if="problem" class="w-full text-rust" role="alert">{{ problem }}</p>
  </div>
</template>
