<script setup lang="ts">
/** What a tool reads by SQL: a statement of the model's, or one of its own. */
import { computed } from "vue";

import type { SqlWork } from "@/api/schema";
import { useToolbox } from "@/api/tools";
import TypedField from "@/parts/TypedField.vue";

const does = defineModel<SqlWork>({ required: true });
const toolbox = useToolbox();
const sources = computed(() => toolbox.data.value?.sources ?? []);
const set = (more: Partial<SqlWork>) => (does.value = { ...does.value, ...more });
const text = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="flex flex-col gap-2">
    <div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
      <label class="flex items-center gap-1.5"
        >of
        <select class="field h-7 px-1 text-sm" :value="does.source ?? ''" aria-label="Source" data-test="sql-source" @change="set({ source: text($event) })">
          <option value="">choose a source</option>
          <option v-for="each in sources" :key="each.name" :value="each.name">{{ each.name }}</option>
          <option v-if="does.source && !sources.some(({ name }) => name === does.source)" :value="does.source">{{ does.source }} (not there)</option>
        </select>
      </label>
      <label class="flex items-center gap-1.5">at most <input type="number" class="field h-7 w-17 font-mono text-sm" min="1" max="1000" :value="does.rows ?? 50" aria-label="Rows at most" @change="set({ rows: Number(text($event)) || 50 })" /> rows</label>
      <label class="flex items-center gap-1.5">within <input type="number" class="field h-7 w-16 font-mono text-sm" min="0.1" max="60" step="any" :value="does.seconds ?? 5" aria-label="Seconds at most" @change="set({ seconds: Number(text($event)) || 5 })" /> s</label>
      <RouterLink v-if="!sources.length" :to="{ name: 'tools', query: { show: 'new-source' } }" class="link">Attach a source</RouterLink>
    </div>
    <TypedField lines class="field field-sizing-content max-h-40 min-h-7 resize-none font-mono text-sm" :model-value="does.statement ?? ''" placeholder="Left empty, the model writes the SELECT. Or: SELECT leaves FROM sailings WHERE pier = :pier" aria-label="Statement" data-test="sql-statement" @update:model-value="set({ statement: $event })" />
    <p class="caption">{{ does.statement ? ":name is filled in with the argument of that name." : "The model may ask with an empty query to see the tables." }} It only ever reads.</p>
  </div>
</template>
