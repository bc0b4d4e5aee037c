<script setup lang="ts">
/** Options as their JSON Schema describes them: a field each, with its title, help and default. */
import { computed } from "vue";

import TypedField from "./TypedField.vue";
import { isRecord } from "./values";

interface Described {
  title?: string;
  description?: string;
  type?: string;
  default?: unknown;
  enum?: unknown[];
  items?: { type?: string };
  minimum?: number;
  maximum?: number;
  anyOf?: Described[];
}
const props = defineProps<{ schema: Record<string, unknown> }>();
/** Only what differs from its default is held. */
const options = defineModel<Record<string, unknown>>({ required: true });

const fields = computed(() =>
  Object.entries(isRecord(props.schema.properties) ? (props.schema.properties as Record<string, Described>) : {}).map(([name, told]) => {
    // What may be left empty is described as this or nothing.
    const one = told.anyOf?.find((each) => each.type !== "null") ?? {};
    const described = { ...one, ...told };
    return { name, ...described, type: described.type ?? one.type ?? "string", title: told.title ?? name.replaceAll("_", " ") };
  }),
);
const valueOf = (name: string, standard: unknown) => options.value[name] ?? standard ?? "";

function set(name: string, value: unknown): void {
  const { [name]: _gone, ...rest } = options.value;
  options.value = value === undefined ? rest : { ...rest, [name]: value };
}
function setNumber(name: string, text: string): void {
  const value = Number(text);
  set(name, text.trim() === "" || !Number.isFinite(value) ? undefined : value);
}
function setLines(name: string, text: string): void {
  const lines = text.split("\n").map((line) => line.trim()).filter(Boolean);
  set(name, lines.length ? lines : undefined);
}
const linesOf = (value: unknown) => (Array.isArray(value) ? value.join("\n") : "");
</script>

<template>
  <div class="grid grid-cols-2 gap-x-4 gap-y-2" data-test="options-form">
    <label v-for="field in fields" :key="field.name" class="flex min-w-0 flex-col gap-1">
      <span v-if="field.type !== 'boolean'">{{ field.title }}<span v-if="field.type === 'array'" class="caption">, one a line</span></span>
      <TypedField
        v-if="field.type === 'array'"
        lines
        rows="2"
        class="field w-full"
        :model-value="linesOf(valueOf(field.name, field.default))"
        :data-test="`option-${field.name}`"
        @update:model-value="setLines(field.name, $event)"
      />
      <select
        v-else-if="field.enum"
        class="field px-1"
        :value="String(valueOf(field.name, field.default))"
        :data-test="`option-${field.name}`"
        @change="set(field.name, ($event.target as HTMLSelectElement).value)"
      >
        <option v-for="choice in field.enum" :key="String(choice)" :value="String(choice)">{{ String(choice).replaceAll("_", " ") }}</option>
      </select>
      <span v-else-if="field.type === 'boolean'" class="flex items-center gap-2">
        <input
          type="checkbox"
          class="size-3.75 accent-kelp"
          :checked="valueOf(field.name, field.default) === true"
          :data-test="`option-${field.name}`"
          @change="set(field.name, ($event.target as HTMLInputElement).checked)"
        />
        {{ field.title }}
      </span>
      <TypedField
        v-else-if="field.type === 'integer' || field.type === 'number'"
        type="number"
        class="field font-mono text-sm"
        :min="field.minimum"
        :max="field.maximum"
        :step="field.type === 'integer' ? 1 : 'any'"
        :model-value="valueOf(field.name, field.default) as number | string"
        :data-test="`option-${field.name}`"
        @update:model-value="setNumber(field.name, $event)"
      />
      <TypedField
        v-else
        class="field font-mono text-sm"
        :model-value="String(valueOf(field.name, field.default))"
        :data-test="`option-${field.name}`"
        @update:model-value="set(field.name, $event.trim() || undefined)"
      />
      <span v-if="field.description" class="caption">{{ field.description }}</span>
    </label>
  </div>
</template>
