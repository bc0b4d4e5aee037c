<script setup lang="ts">
/** Options as their JSON Schema describes them: a field each, with its title, help and default. */
import { computed } from "vue";

import { useModels } from "@/api/models";
import TypedField from "./TypedField.vue";
import { isRecord } from "./values";

interface Described {
  title?: string;
  description?: string;
  type?: string;
  default?: unknown;
  enum?: unknown[];
  items?: { type?: string; enum?: unknown[]; $ref?: string };
  format?: string;
  properties?: Record<string, Described>;
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
/** What a list of records is made of. */
const recordOf = (field: Described) => {
  const name = field.items?.$ref?.split("/").at(-1);
  const defs = props.schema.$defs as Record<string, Record<string, unknown>> | undefined;
  return name ? defs?.[name] : undefined;
};
const itemsOf = (name: string) => (Array.isArray(options.value[name]) ? (options.value[name] as Record<string, unknown>[]) : []);
function putItem(name: string, at: number, item: Record<string, unknown> | null): void {
  const items = itemsOf(name);
  const changed = item === null ? items.filter((_, each) => each !== at) : items.map((each, place) => (place === at ? item : each));
  set(name, changed.length ? changed : undefined);
}
const toggled = (value: unknown, choice: unknown) => {
  const held = Array.isArray(value) ? value : [];
  return held.includes(choice) ? held.filter((each) => each !== choice) : [...held, choice];
};
const models = useModels();
const linesOf = (value: unknown) => (Array.isArray(value) ? value.join("\n") : "");
</script>

<template>
  <div class="grid gap-x-4 gap-y-2" :class="fields.length > 1 ? 'grid-cols-2' : ''" data-test="options-form">
    <component
      :is="field.items?.enum || recordOf(field) ? 'div' : 'label'"
      v-for="field in fields"
      :key="field.name"
      class="flex min-w-0 flex-col gap-1"
      :class="recordOf(field) ? 'col-span-2' : ''"
    >
      <span v-if="field.type !== 'boolean'">{{ field.title }}<span v-if="field.type === 'array' && !field.items?.enum && !recordOf(field)" class="caption">, one a line</span></span>
      <span v-if="field.items?.enum" class="flex flex-wrap gap-x-3" :data-test="`option-${field.name}`">
        <label v-for="choice in field.items.enum" :key="String(choice)" class="flex items-center gap-1">
          <input
            type="checkbox"
            class="size-3.75 accent-kelp"
            :checked="(valueOf(field.name, field.default) as unknown[]).includes(choice)"
            @change="set(field.name, toggled(valueOf(field.name, field.default), choice))"
          />{{ String(choice).replaceAll("_", " ") }}
        </label>
      </span>
      <div v-else-if="recordOf(field)" class="flex flex-col gap-2" :data-test="`option-${field.name}`">
        <div v-for="(item, at) in itemsOf(field.name)" :key="at" class="border-l-2 border-rule pl-3">
          <OptionsForm :schema="recordOf(field)!" :model-value="item" @update:model-value="putItem(field.name, at, $event)" />
          <button type="button" class="link text-xs" @click="putItem(field.name, at, null)">leave out</button>
        </div>
        <button type="button" class="button h-slim self-start" :data-test="`add-to-${field.name}`" @click="set(field.name, [...itemsOf(field.name), {}])">Add one</button>
      </div>
      <select
        v-else-if="field.format === 'model'"
        class="field px-1"
        :value="String(valueOf(field.name, field.default))"
        :data-test="`option-${field.name}`"
        @change="set(field.name, ($event.target as HTMLSelectElement).value || undefined)"
      >
        <option value="">choose a model</option>
        <option v-for="model in models.data.value?.models ?? []" :key="model.name" :value="model.name">{{ model.name }}</option>
      </select>
      <TypedField
        v-else-if="field.type === 'array'"
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
    </component>
  </div>
</template>
