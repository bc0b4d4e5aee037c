<script setup lang="ts">
/** Sampling settings, each with what it truly does. */
import type { Settings } from "@/api/schema";
import { useSettingsTable } from "@/api/queries";

const settings = defineModel<Settings>({ required: true });
const table = useSettingsTable();
type NumberSetting = "temperature" | "top_p" | "frequency_penalty" | "presence_penalty" | "max_tokens";

function set(name: string, text: string): void {
  const value = text.trim() === "" ? null : Number(text);
  settings.value = { ...settings.value, [name]: Number.isFinite(value) || value === null ? value : undefined };
}
</script>

<template>
  <div class="flex flex-col gap-2">
    <label v-for="setting in table.data.value?.settings" :key="setting.name" class="grid grid-cols-[140px_76px_1fr] items-start gap-x-3">
      <span class="pt-[5px]">{{ setting.label }}</span>
      <input
        type="number"
        class="field w-full font-mono text-sm"
        :min="setting.low"
        :max="setting.high"
        :step="setting.name === 'max_tokens' ? 1 : 0.1"
        :value="settings[setting.name as NumberSetting] ?? ''"
        placeholder="–"
        :aria-label="setting.label"
        @change="set(setting.name, ($event.target as HTMLInputElement).value)"
      />
      <span class="caption pt-[2px]">{{ setting.help }} Usually {{ setting.usual }}.</span>
    </label>
    <p class="caption">Empty: the model server's own default.</p>
  </div>
</template>
