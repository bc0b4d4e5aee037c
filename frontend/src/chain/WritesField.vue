<script setup lang="ts">
/** Where what comes of a step is written: under one name, or its fields under several. */
import { computed } from "vue";

import type { ChainFault } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";
import ExprRows from "./ExprRows.vue";

const writes = defineModel<string | Record<string, string>>({ required: true });
const props = defineProps<{ names: string[]; faults: ChainFault[]; many: boolean; over: string; what: string }>();
const emit = defineEmits<{ named: [name: string] }>();
const one = computed(() => (typeof writes.value === "string" ? writes.value : null));
const fault = computed(() => props.faults.find(({ field, stops }) => field === "writes" && stops)?.message ?? "");

function set(name: string): void {
  writes.value = name.trim();
  if (name.trim()) emit("named", name.trim());
}
</script>

<template>
  <div v-if="one !== null" class="grid grid-cols-[92px_1fr] items-start gap-x-3">
    <span class="pt-1.25">Writes</span>
    <div class="flex min-w-0 flex-col gap-0.5">
      <span class="flex items-center gap-3">
        <datalist id="state-names"><option v-for="name in names" :key="name" :value="name" /></datalist>
        <TypedField lazy class="field w-44 font-mono text-sm" list="state-names" :model-value="one" :placeholder="`nothing of ${what}`" aria-label="Writes" data-test="writes" @update:model-value="set" />
        <button v-if="many" type="button" class="link text-sm" data-test="writes-several" @click="writes = { [one || 'value']: over.split(',')[0]!.trim() }">take several things of {{ what }}</button>
      </span>
      <span v-if="fault" class="text-sm text-rust" role="alert">{{ fault }}</span>
    </div>
  </div>
  <template v-else>
    <ExprRows :model-value="writes as Record<string, string>" label="Writes" :faults="faults" field="writes" :names="names" :hint="`over ${over}`" @update:model-value="writes = $event" @named="emit('named', $event)" />
    <p v-if="fault" class="ml-26 text-sm text-rust" role="alert">{{ fault }}</p>
    <p class="ml-26"><button type="button" class="link text-sm" @click="writes = Object.keys(writes)[0] ?? ''">write {{ what }} as a whole instead</button></p>
  </template>
</template>
