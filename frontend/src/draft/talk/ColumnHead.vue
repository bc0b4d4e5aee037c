<script setup lang="ts">
/** What a column asks: its model, its version, and the settings that stand over the prompt's. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed } from "vue";

import type { ModelLine, Settings } from "@/api/schema";
import SettingsSection from "../SettingsSection.vue";
import type { Column } from "./columns";
import TypedField from "@/parts/TypedField.vue";

const column = defineModel<Column>({ required: true });
const props = defineProps<{ models: ModelLine[]; versions: number[]; promptSettings: Settings; only: boolean; full: boolean; toolsInPrompt: boolean; imagesInPrompt: boolean }>();
defineEmits<{ remove: []; duplicate: [] }>();

const model = computed(() => props.models.find((each) => each.name === column.value.model));
const own = computed(() => Object.values(column.value.settings).filter((value) => value != null).length);
const others = computed(() => own.value - (column.value.settings.temperature == null ? 0 : 1));
const temperature = computed(() => column.value.settings.temperature ?? null);
const promptTemperature = computed(() => props.promptSettings.temperature ?? null);
/** Settings of the prompt or column that this model has no place for, and what it can't do. */
const ignored = computed(() => {
  const all: Settings = { ...props.promptSettings, ...column.value.settings };
  return (model.value?.ignores ?? []).filter((name) => all[name as keyof Settings]).map((name) => name.replace("_", " "));
});
const unable = computed(() => {
  const can = model.value?.abilities ?? [];
  return [
    props.toolsInPrompt && !can.includes("tools") && "the tools are not sent",
    props.imagesInPrompt && !can.includes("images") && "it takes no images",
  ].filter(Boolean);
});

function setTemperature(text: string): void {
  const value = text.trim() === "" ? null : Number(text);
  if (value === null || (value >= 0 && value <= 2)) column.value.settings = { ...column.value.settings, temperature: value };
}
</script>

<template>
  <header class="border-b border-rule-soft pb-2">
    <div class="flex items-center gap-2">
      <select v-model="column.model" class="min-w-0 bg-transparent font-semibold" aria-label="Model" data-test="column-model">
        <option v-for="each in models" :key="each.name" :value="each.name">{{ each.name }}</option>
      </select>
      <span v-if="model?.built_in" class="caption shrink-0" title="Simulated, and comes with Epistem: it shows how the work goes, not what a real model would say">stand-in</span>
      <span class="flex-1"></span>
      <button v-if="!full" type="button" class="link text-xs" title="Another column like this one" data-test="duplicate-column" @click="$emit('duplicate')">duplicate</button>
      <button v-if="!only" type="button" class="link text-xs" data-test="remove-column" @click="$emit('remove')">remove</button>
    </div>
    <div class="mt-1 flex items-center gap-2 text-sm text-ink-2">
      <select
        v-model="column.version"
        class="field h-6 px-1 text-sm"
        :class="column.version === null ? '' : 'border-slate text-slate'"
        title="What this column asks with"
        aria-label="Draft or version of this column"
        data-test="column-version"
      >
        <option :value="null">draft</option>
        <option v-for="number in versions" :key="number" :value="number">v{{ number }}</option>
      </select>
      <label class="flex items-center gap-1 font-mono" title="Temperature of this column; empty takes the prompt's">
        temp.
        <TypedField
          class="field h-6 w-11.5 px-1 font-mono text-sm"
          type="number"
          min="0"
          max="2"
          step="0.1"
          :placeholder="promptTemperature === null ? '–' : String(promptTemperature)"
          :model-value="temperature ?? ''"
          aria-label="Temperature of this column"
          @update:model-value="setTemperature($event)"
        />
      </label>
      <Popover class="relative">
        <PopoverButton class="link text-xs" data-test="column-settings">{{ others > 0 ? `${others} more set` : "more settings" }}</PopoverButton>
        <PopoverPanel class="panel absolute -left-30 z-10 mt-1 max-h-75 w-107.5 overflow-auto p-3">
          <p class="caption mb-2">These stand over the prompt's own, in this column only.</p>
          <SettingsSection v-model="column.settings" :models="model ? [model] : []" />
        </PopoverPanel>
      </Popover>
    </div>
    <p v-if="ignored.length" class="caption mt-1" data-test="ignored">
      {{ column.model }}’s format has no {{ ignored.join(" and no ") }}: not sent.
    </p>
    <p v-for="why in unable" :key="String(why)" class="mt-1 text-xs text-straw" data-test="unable">{{ column.model }}: {{ why }}.</p>
  </header>
</template>
