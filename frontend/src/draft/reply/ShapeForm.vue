<script setup lang="ts">
/** The fields of an object, as rows; those of records inside stand indented below. */
import { computed } from "vue";

import { listFrom } from "@/parts/values";
import { boundsOf, type Field, fieldsOf, freshField, isShape, kindOf, type FieldKind, KINDS, type Schema, withFields, withKeyword, withKind } from "./shape";
import TypedField from "@/parts/TypedField.vue";

const shape = defineModel<Schema>({ required: true });
const props = withDefaults(defineProps<{ depth?: number; what?: string }>(), { depth: 0, what: "field" });
const fields = computed(() => fieldsOf(shape.value));

function put(at: number, change: Partial<Field>): void {
  shape.value = withFields(shape.value, fields.value.map((field, i) => (i === at ? { ...field, ...change } : field)));
}
function keyword(at: number, name: string, value: unknown): void {
  put(at, { schema: withKeyword(fields.value[at]!.schema, name, value) });
}
function rename(at: number, text: string): void {
  const name = text.trim();
  const taken = fields.value.some((field, i) => i !== at && field.name === name);
  if (name && !taken) put(at, { name });
}
function remove(at: number): void {
  shape.value = withFields(shape.value, fields.value.filter((_, i) => i !== at));
}
function move(at: number, by: number): void {
  const moved = [...fields.value];
  const to = at + by;
  if (to < 0 || to >= moved.length) return;
  [moved[at], moved[to]] = [moved[to]!, moved[at]!];
  shape.value = withFields(shape.value, moved);
}
const numberOf = (text: string) => (text.trim() === "" || !Number.isFinite(Number(text)) ? undefined : Number(text));

/** Of a list: what its items are. */
const itemKind = (field: Field) => kindOf((field.schema.items as Schema | undefined) ?? {});
const ITEM_KINDS = KINDS.filter(({ value }) => value !== "list");
function setItems(at: number, kind: FieldKind): void {
  keyword(at, "items", withKind({}, kind));
}
const inside = (field: Field): Schema | null => {
  const schema = kindOf(field.schema) === "list" ? field.schema.items : field.schema;
  return (kindOf(field.schema) === "record" || itemKind(field) === "record") && isShape(schema) ? schema : null;
};
function putInside(at: number, schema: Schema): void {
  if (kindOf(fields.value[at]!.schema) === "list") keyword(at, "items", schema);
  else put(at, { schema });
}
</script>

<template>
  <div class="flex flex-col" :class="props.depth ? 'ml-3 border-l border-rule pl-3' : ''" data-test="shape-form">
    <div v-for="(field, at) in fields" :key="at" class="border-b border-rule-soft py-line" data-test="shape-field">
      <div class="flex flex-wrap items-center gap-2">
        <TypedField
          class="field h-7 w-28 font-mono text-sm"
          :model-value="field.name"
          :aria-label="`Name of ${props.what} ${at + 1}`"
          lazy
          @update:model-value="rename(at, $event)"
        />
        <select
          class="field h-7 px-1 text-sm"
          :value="kindOf(field.schema)"
          :aria-label="`Kind of ${field.name}`"
          @change="put(at, { schema: withKind(field.schema, ($event.target as HTMLSelectElement).value as FieldKind) })"
        >
          <option v-for="kind in KINDS" :key="kind.value" :value="kind.value">{{ kind.label }}</option>
          <option v-if="kindOf(field.schema) === 'other'" value="other" disabled>as in the JSON</option>
        </select>
        <template v-if="boundsOf(kindOf(field.schema))">
          <TypedField
            v-for="(bound, b) in boundsOf(kindOf(field.schema))!"
            :key="bound"
            class="field h-7 w-14.5 px-1 font-mono text-sm"
            type="number"
            :placeholder="b ? 'most' : 'least'"
            :model-value="field.schema[bound] as number | undefined"
            :aria-label="`${bound} of ${field.name}`"
            @update:model-value="keyword(at, bound, numberOf($event))"
          />
        </template>
        <span class="flex-1"></span>
        <label class="flex items-center gap-1 text-sm whitespace-nowrap">
          <input
            type="checkbox"
            class="accent-kelp"
            :checked="field.required"
            @change="put(at, { required: ($event.target as HTMLInputElement).checked })"
          />
          required
        </label>
      </div>
      <div class="mt-1 flex items-center gap-2">
        <TypedField
          v-if="kindOf(field.schema) === 'choice'"
          class="field h-7 min-w-0 flex-[2] font-mono text-sm"
          placeholder="choices, with commas between"
          :model-value="(field.schema.enum as unknown[]).join(', ')"
          :aria-label="`Choices of ${field.name}`"
          @update:model-value="keyword(at, 'enum', listFrom($event))"
        />
        <label v-if="kindOf(field.schema) === 'list'" class="flex items-center gap-1 text-sm">
          of
          <select
            class="field h-7 px-1 text-sm"
            :value="itemKind(field)"
            :aria-label="`What ${field.name} is a list of`"
            @change="setItems(at, ($event.target as HTMLSelectElement).value as FieldKind)"
          >
            <option v-for="kind in ITEM_KINDS" :key="kind.value" :value="kind.value">{{ kind.label }}</option>
          </select>
        </label>
        <TypedField
          class="field h-7 min-w-0 flex-1 text-sm"
          placeholder="what it holds, in a few words"
          :model-value="field.schema.description as string | undefined"
          :aria-label="`Description of ${field.name}`"
          @update:model-value="keyword(at, 'description', $event.trim())"
        />
        <button v-if="at > 0" type="button" class="link text-xs" title="Move up" @click="move(at, -1)">up</button>
        <button type="button" class="link text-xs" :aria-label="`Remove ${field.name}`" @click="remove(at)">remove</button>
      </div>
      <ShapeForm
        v-if="inside(field)"
        class="mt-1"
        :model-value="inside(field)!"
        :depth="props.depth + 1"
        @update:model-value="putInside(at, $event)"
      />
    </div>
    <button
      type="button"
      class="link mt-1.5 self-start text-sm"
      data-test="add-field"
      @click="shape = withFields(shape, [...fields, freshField(fields)])"
    >
      Add a {{ props.what }}
    </button>
  </div>
</template>
