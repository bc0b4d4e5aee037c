<script setup lang="ts">
/** Names, each with the expression that it is worked out by. */
import { computed } from "vue";

import type { ChainFault } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";

const rows = defineModel<Record<string, string>>({ required: true });
const props = withDefaults(defineProps<{ label: string; faults: ChainFault[]; field: string; names?: string[]; add?: string; hint?: string }>(), { names: () => [], add: "another", hint: "" });
const emit = defineEmits<{ named: [name: string] }>();
const list = computed(() => Object.entries(rows.value));
const id = `names-${Math.random().toString(36).slice(2)}`;
const faultOf = (name: string) => props.faults.find((fault) => fault.field === `${props.field}.${name}`)?.message ?? "";

function rename(from: string, to: string): void {
  const name = to.trim();
  if (!name || name === from || name in rows.value) return;
  rows.value = Object.fromEntries(list.value.map(([key, told]) => [key === from ? name : key, told]));
  emit("named", name);
}
const set = (name: string, told: string) => (rows.value = { ...rows.value, [name]: told });
const drop = (name: string) => (rows.value = Object.fromEntries(list.value.filter(([key]) => key !== name)));
function addOne(): void {
  const free = props.names.find((name) => !(name in rows.value));
  let name = free ?? "value";
  for (let number = 2; name in rows.value; number += 1) name = `value_${number}`;
  rows.value = { ...rows.value, [name]: free ?? "''" };
  emit("named", name);
}
</script>

<template>
  <div class="grid grid-cols-[92px_1fr] items-start gap-x-3">
    <span class="pt-1.25">{{ label }}</span>
    <div class="flex min-w-0 flex-col gap-1">
      <datalist :id="id"><option v-for="name in names" :key="name" :value="name" /></datalist>
      <div v-for="[name, told] in list" :key="name" class="grid grid-cols-[112px_auto_1fr_auto] items-start gap-1.5" :data-test="`${field}-row`">
        <TypedField lazy class="field h-7.5 w-full font-mono text-sm" :list="id" :model-value="name" :aria-label="`Name of ${name}`" @update:model-value="rename(name, $event)" />
        <span class="pt-1.25 text-ink-3" aria-hidden="true">=</span>
        <span class="flex min-w-0 flex-col">
          <TypedField lines class="field field-sizing-content max-h-30 w-full resize-none font-mono text-sm" spellcheck="false" :model-value="told" :aria-label="`${name} is worked out by`" :aria-invalid="faultOf(name) !== ''" @update:model-value="set(name, $event)" />
          <span v-if="faultOf(name)" class="text-sm text-rust" role="alert">{{ faultOf(name) }}</span>
        </span>
        <button type="button" class="link pt-1.5 text-xs" :aria-label="`Remove ${name}`" @click="drop(name)">remove</button>
      </div>
      <p class="text-sm"><button type="button" class="link" :data-test="`add-${field}`" @click="addOne">{{ add }}</button> <span class="caption">{{ hint }}</span></p>
    </div>
  </div>
</template>
