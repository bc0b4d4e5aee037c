<script setup lang="ts">
/** How an address is asked for a tool. */
import { computed } from "vue";

import { useServerKeys } from "@/api/models";
import type { HttpWork, ToolHeader } from "@/api/schema";
import { useToolbox } from "@/api/tools";
import TypedField from "@/parts/TypedField.vue";

const does = defineModel<HttpWork>({ required: true });
const toolbox = useToolbox();
const keyNames = useServerKeys();
const references = computed(() => keyNames.data.value?.keys.map(({ reference }) => reference) ?? []);
const headers = computed(() => does.value.headers ?? []);
const set = (more: Partial<HttpWork>) => (does.value = { ...does.value, ...more });
const setHeader = (at: number, more: Partial<ToolHeader>) => set({ headers: headers.value.map((each, i) => (i === at ? { ...each, ...more } : each)) });

/** The origin of the address where it is not among those that tools may reach. */
const refused = computed(() => {
  try {
    const { protocol, hostname, port } = new URL((does.value.address ?? "").replace(/\{.*/s, ""));
    const origin = `${protocol}//${hostname}:${port || (protocol === "https:" ? 443 : 80)}`;
    const there = toolbox.data.value?.addresses;
    return there && !toolbox.data.value?.more && !there.some(({ address }) => address === origin) ? origin : null;
  } catch {
    return null;
  }
});
const text = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="flex flex-col gap-2">
    <div class="flex items-center gap-2">
      <select class="field h-7 w-20 px-1 font-mono text-sm" :value="does.method ?? 'GET'" aria-label="Method" data-test="http-method" @change="set({ method: text($event) as HttpWork['method'] })">
        <option v-for="method in ['GET', 'POST', 'PUT', 'PATCH', 'DELETE']" :key="method">{{ method }}</option>
      </select>
      <TypedField class="field h-7 min-w-0 flex-1 font-mono text-sm" :model-value="does.address ?? ''" placeholder="https://boats.example/sailings/{pier}{?day}" aria-label="Address" data-test="http-address" @update:model-value="set({ address: $event.trim() })" />
    </div>
    <p v-if="refused" class="text-sm text-straw" data-test="not-allowed">
      {{ refused }} is not among the addresses that tools may reach.
      <RouterLink :to="{ name: 'tools', query: { show: 'addresses', add: refused } }" class="link">Allow it</RouterLink>
    </p>
    <p class="caption">{name} stands in the path, {?name,other} as a query. Only these come from the model; the host is fixed.</p>
    <label class="flex items-center gap-2 text-sm">
      <span class="w-24 shrink-0">shows of it</span>
      <TypedField class="field h-7 min-w-0 flex-1 font-mono text-sm" :model-value="(does.shows ?? []).join(', ')" placeholder="all of it, or JSON pointers: /booking, /boat/name" data-test="http-shows" @update:model-value="set({ shows: $event.split(',').map((each) => each.trim()).filter(Boolean) })" />
    </label>
    <label v-if="does.method && does.method !== 'GET'" class="flex items-center gap-2 text-sm">
      <input type="checkbox" class="accent-kelp" :checked="does.sends === 'arguments'" data-test="http-sends" @change="set({ sends: ($event.target as HTMLInputElement).checked ? 'arguments' : 'nothing' })" />
      sends the other arguments as JSON
    </label>
    <div v-for="(header, at) in headers" :key="at" class="flex items-center gap-2 text-sm" data-test="http-header">
      <TypedField class="field h-7 w-36 font-mono text-sm" :model-value="header.name" placeholder="header" aria-label="Name of the header" @update:model-value="setHeader(at, { name: $event.trim() })" />
      <select class="field h-7 min-w-0 px-1 text-sm" :value="header.key ?? ''" aria-label="Where its value comes from" @change="setHeader(at, text($event) ? { key: text($event), value: '' } : { key: '' })">
        <option value="">this value</option>
        <option v-for="reference in references" :key="reference" :value="reference">the key {{ reference }}</option>
        <option v-if="header.key && !references.includes(header.key)" :value="header.key">the key {{ header.key }} (not there)</option>
      </select>
      <TypedField v-if="!header.key" class="field h-7 min-w-0 flex-1 font-mono text-sm" :model-value="header.value ?? ''" placeholder="value, nothing secret" aria-label="Value of the header" @update:model-value="setHeader(at, { value: $event })" />
      <button type="button" class="link text-xs" @click="set({ headers: headers.filter((_, i) => i !== at) })">remove</button>
    </div>
    <div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
      <button type="button" class="link" data-test="add-header" @click="set({ headers: [...headers, { name: '' }] })">Add a header</button>
      <label class="flex items-center gap-1.5">within <input type="number" class="field h-7 w-16 font-mono text-sm" min="0.1" max="60" step="any" :value="does.seconds ?? 10" aria-label="Seconds at most" @change="set({ seconds: Number(text($event)) || 10 })" /> s</label>
      <label class="flex items-center gap-1.5">shows at most <input type="number" class="field h-7 w-22 font-mono text-sm" min="100" max="200000" :value="does.most_bytes ?? 20000" aria-label="Bytes at most" @change="set({ most_bytes: Number(text($event)) || 20000 })" /> bytes</label>
    </div>
  </div>
</template>
