<script setup lang="ts">
/** A JSON value as a tree, with what is wrong with it said at the very place. */
import { computed } from "vue";

import type { ShapeFault } from "@/api/schema";

const props = withDefaults(defineProps<{ value: unknown; faults: ShapeFault[]; name?: string; path?: string; beside?: unknown; side?: "baseline" | "other" }>(), {
  name: "",
  path: "",
  beside: undefined,
  side: "other",
});
/** Of a value that another is held against: whether the other says something else at this place. */
const differs = computed(() => props.beside !== undefined && JSON.stringify(props.value) !== JSON.stringify(props.beside));
const besideOf = (key: string) => (props.beside === undefined ? undefined : ((props.beside as Record<string, unknown> | null)?.[key] ?? null));
const isBranch = computed(() => typeof props.value === "object" && props.value !== null);
const entries = computed(() => (isBranch.value ? Object.entries(props.value as Record<string, unknown>) : []));
const here = computed(() => props.faults.filter((fault) => fault.path === props.path));
const inside = computed(() => props.faults.some((fault) => fault.path.startsWith(`${props.path}/`)));
const told = computed(() => (Array.isArray(props.value) ? `${entries.value.length} in a list` : entries.value.length ? "" : "empty"));
const COLOURS: Record<string, string> = { string: "text-kelp", number: "text-slate", boolean: "text-slate" };
const colour = computed(() => COLOURS[typeof props.value] ?? "text-ink-3");
</script>

<template>
  <div :class="path ? 'ml-3' : ''" data-test="json-tree">
    <details v-if="isBranch" :open="entries.length <= 30 || inside">
      <summary class="cursor-pointer" :class="here.length ? 'text-rust' : ''">
        <span class="font-mono text-sm">{{ name || (Array.isArray(value) ? "list" : "reply") }}</span> <span class="caption">{{ told }}</span>
      </summary>
      <p v-for="fault in here" :key="fault.message" class="ml-3 text-sm text-rust" data-test="shape-fault">{{ fault.message }}</p>
      <JsonTree v-for="[key, each] in entries" :key="key" :value="each" :faults="faults" :name="key" :path="`${path}/${key}`" :beside="besideOf(key)" :side="side" />
    </details>
    <template v-else>
      <p class="flex gap-2">
        <span class="shrink-0 font-mono text-sm" :class="here.length ? 'text-rust' : 'text-ink-2'">{{ name || "reply" }}</span>
        <span class="min-w-0 break-words" :class="[colour, typeof value === 'string' ? 'font-serif' : 'font-mono text-sm', here.length ? 'border-b-2 border-rust' : '', differs ? (side === 'baseline' ? 'bg-slate-wash' : 'bg-kelp-wash') : '']" :title="differs ? 'The other answer differs here' : undefined">{{
          value === null ? "null" : value === "" ? "(empty)" : String(value)
        }}</span>
      </p>
      <p v-for="fault in here" :key="fault.message" class="ml-3 text-sm text-rust" data-test="shape-fault">{{ fault.message }}</p>
    </template>
  </div>
</template>
