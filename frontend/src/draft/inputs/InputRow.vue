<script setup lang="ts">
/** One input: what kind it is, what it is for, and what stands in where none is given. */
import { computed } from "vue";

import type { Input, RecordField } from "@/api/schema";
import { asText, listFrom } from "@/parts/values";
import TypedField from "@/parts/TypedField.vue";
import LookUpOf from "./LookUpOf.vue";

const input = defineModel<Input>({ required: true });
defineProps<{ unused: boolean; problem: string; others: string[] }>();
defineEmits<{ rename: []; forget: [] }>();
const KINDS: { value: NonNullable<Input["kind"]>; label: string }[] = [
  { value: "text", label: "text" },
  { value: "number", label: "number" },
  { value: "choice", label: "choice" },
  { value: "list", label: "list" },
  { value: "record", label: "record" },
  { value: "image", label: "image" },
  { value: "passages", label: "passages" },
  { value: "dialogue", label: "dialogue so far" },
];
const FIELD_KINDS = ["text", "number", "choice", "list"] as const;
const typed = computed(() => input.value.kind === "text" || input.value.kind === "number" || input.value.kind === "choice");

function put(change: Partial<Input>): void {
  input.value = { ...input.value, ...change };
}
function putField(at: number, change: Partial<RecordField>): void {
  put({ fields: (input.value.fields ?? []).map((field, i) => (i === at ? { ...field, ...change } : field)) });
}
const value = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="border-b border-rule-soft py-line" :data-test="`input-row-${input.name}`">
    <div class="flex items-center gap-2">
      <code class="w-26 shrink-0 truncate font-mono text-sm" :class="unused ? 'text-straw' : 'text-kelp'" :title="input.name">{{
        input.name
      }}</code>
      <select
        class="field h-7 px-1 text-sm"
        :value="input.kind ?? 'text'"
        :aria-label="`Kind of ${input.name}`"
        @change="put({ kind: value($event) as Input['kind'] })"
      >
        <option v-for="kind in KINDS" :key="kind.value" :value="kind.value">{{ kind.label }}</option>
      </select>
      <TypedField
        class="field h-7 min-w-0 flex-1 text-sm"
        placeholder="what it holds, in a few words"
        :model-value="input.description ?? ''"
        :aria-label="`Description of ${input.name}`"
        @update:model-value="put({ description: $event.trim() })"
      />
      <button type="button" class="link text-xs" data-test="rename-input" @click="$emit('rename')">rename</button>
      <button v-if="unused" type="button" class="link text-xs" @click="$emit('forget')">forget</button>
    </div>
    <p v-if="unused" class="mt-1 text-sm text-straw">No part asks for it any more.</p>
    <TypedField
      v-if="input.kind === 'choice'"
      class="field mt-1 h-7 w-full font-mono text-sm"
      placeholder="choices, with commas between"
      :model-value="(input.choices ?? []).join(', ')"
      :aria-label="`Choices of ${input.name}`"
      @update:model-value="put({ choices: listFrom($event) })"
    />
    <div v-if="input.kind === 'record'" class="mt-1 ml-3 border-l border-rule pl-3">
      <div v-for="(field, at) in input.fields" :key="at" class="flex items-center gap-2 py-0.5">
        <TypedField class="field h-7 w-25 font-mono text-sm" :model-value="field.name" aria-label="Field" @update:model-value="putField(at, { name: $event.trim() })" />
        <select class="field h-7 px-1 text-sm" :value="field.kind ?? 'text'" :aria-label="`Kind of ${field.name}`" @change="putField(at, { kind: value($event) as RecordField['kind'] })">
          <option v-for="kind in FIELD_KINDS" :key="kind" :value="kind">{{ kind }}</option>
        </select>
        <TypedField
          class="field h-7 min-w-0 flex-1 text-sm"
          :placeholder="field.kind === 'choice' ? 'choices, with commas between' : 'what it holds'"
          :model-value="field.kind === 'choice' ? (field.choices ?? []).join(', ') : (field.description ?? '')"
          :aria-label="`About ${field.name}`"
          @update:model-value="putField(at, field.kind === 'choice' ? { choices: listFrom($event) } : { description: $event.trim() })"
        />
        <button type="button" class="link text-xs" @click="put({ fields: input.fields!.filter((_, i) => i !== at) })">remove</button>
      </div>
      <button type="button" class="link text-sm" @click="put({ fields: [...(input.fields ?? []), { name: `field_${(input.fields?.length ?? 0) + 1}` }] })">
        Add a field
      </button>
    </div>
    <LookUpOf v-if="input.kind === 'passages'" :name="input.name" :looking="input.look_up ?? null" :inputs="others" @change="(look_up) => put({ look_up })" />
    <div v-if="typed" class="mt-1 flex gap-2">
      <label class="flex min-w-0 flex-1 items-center gap-2"
        ><span class="caption w-26 shrink-0">where none is given</span>
        <TypedField class="field h-7 min-w-0 flex-1 text-sm" :model-value="asText(input.default)" :aria-label="`Default of ${input.name}`" @update:model-value="put({ default: $event || null })" />
      </label>
      <label class="flex min-w-0 flex-1 items-center gap-2"
        ><span class="caption">example</span>
        <TypedField class="field h-7 min-w-0 flex-1 text-sm" :model-value="asText(input.example)" :aria-label="`Example of ${input.name}`" @update:model-value="put({ example: $event || null })" />
      </label>
    </div>
    <p v-if="problem" class="mt-1 text-sm text-rust" role="alert">{{ problem }}</p>
  </div>
</template>
