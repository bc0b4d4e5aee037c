<script setup lang="ts">
/** Sampling settings, each with what it truly does. What the chosen models ignore is greyed. */
import type { ModelLine, Settings } from "@/api/schema";
import { useSettingsTable } from "@/api/subjects";
import TypedField from "@/parts/TypedField.vue";

const settings = defineModel<Settings>({ required: true });
const props = withDefaults(defineProps<{ models?: ModelLine[] }>(), { models: () => [] });
const table = useSettingsTable();
type NumberSetting = "temperature" | "top_p" | "frequency_penalty" | "presence_penalty" | "max_tokens";

function set(name: string, text: string): void {
  const value = text.trim() === "" ? null : Number(text);
  settings.value = { ...settings.value, [name]: Number.isFinite(value) || value === null ? value : undefined };
}
function setStop(text: string): void {
  const stop = text.split("|").map((each) => each.replaceAll("\\n", "\n")).filter((each) => each !== "");
  settings.value = { ...settings.value, stop: stop.length ? stop.slice(0, 4) : null };
}
const ignoring = (name: string) => props.models.filter((model) => model.ignores.includes(name)).map((model) => model.name);
const isGrey = (name: string) => props.models.length > 0 && ignoring(name).length === props.models.length;
</script>

<template>
  <div class="flex flex-col gap-2">
    <label v-for="setting in table.data.value?.settings" :key="setting.name" class="grid grid-cols-(--settings-columns) items-start gap-x-3" :data-test="`setting-${setting.name}`">
      <span class="pt-1.25" :class="isGrey(setting.name) ? 'text-ink-3' : ''">{{ setting.label }}</span>
      <TypedField
        type="number"
        class="field w-full font-mono text-sm disabled:bg-paper disabled:text-ink-3"
        :min="setting.low"
        :max="setting.high"
        :step="setting.name === 'max_tokens' ? 1 : 0.1"
        :model-value="settings[setting.name as NumberSetting] ?? ''"
        placeholder="–"
        :disabled="isGrey(setting.name)"
        :aria-label="setting.label"
        @update:model-value="set(setting.name, $event)"
      />
      <span class="caption pt-0.5">
        <span v-if="ignoring(setting.name).length" class="text-straw">Not sent to {{ ignoring(setting.name).join(" and ") }}, whose format has no place for it. </span>
        {{ setting.help }} Usually {{ setting.usual }}.
      </span>
    </label>
    <label class="grid grid-cols-(--settings-columns) items-start gap-x-3">
      <span class="pt-1.25">Stop at</span>
      <TypedField
        class="field col-span-2 font-mono text-sm"
        :model-value="(settings.stop ?? []).map((each) => each.replaceAll('\n', '\\n')).join('|')"
        placeholder="texts, with | between; \n is a line break"
        aria-label="Stop at"
        @update:model-value="setStop($event)"
      />
      <span class="caption col-start-2 col-end-4">The answer ends before any of these texts, at most four of them.</span>
    </label>
    <p class="caption">Empty: the model server's own default.</p>
  </div>
</template>
