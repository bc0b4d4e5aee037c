<script setup lang="ts">
/** What a tool answers in a try: by example, else always the same. */
import { computed } from "vue";

import type { Tool, ToolAnswer } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";

const tool = defineModel<Tool>({ required: true });
const rows = computed(() => tool.value.by_example ?? []);

function put(change: Partial<Tool>): void {
  tool.value = { ...tool.value, ...change };
}
function putRow(at: number, change: Partial<ToolAnswer>): void {
  put({ by_example: rows.value.map((row, i) => (i === at ? { ...row, ...change } : row)) });
}
/** Arguments are typed as `pier = Hollin, day = today`, or as JSON. */
function argumentsFrom(text: string): Record<string, unknown> {
  try {
    const parsed: unknown = JSON.parse(text);
    if (typeof parsed === "object" && parsed !== null && !Array.isArray(parsed)) return parsed as Record<string, unknown>;
  } catch {
    // Then it is the short form.
  }
  const pairs = text.split(",").map((pair) => pair.split("=").map((side) => side.trim()));
  return Object.fromEntries(pairs.filter(([name]) => name).map(([name, value = ""]) => [name, plain(value)]));
}
function plain(value: string): unknown {
  if (value === "true" || value === "false") return value === "true";
  return value !== "" && Number.isFinite(Number(value)) ? Number(value) : value;
}
function argumentsText(given: Record<string, unknown> | undefined): string {
  const pairs = Object.entries(given ?? {});
  const short = pairs.every(([, value]) => typeof value !== "object" && plain(String(value)) === value && !/[,=]/.test(String(value)));
  return short ? pairs.map(([name, value]) => `${name} = ${String(value)}`).join(", ") : JSON.stringify(given);
}
</script>

<template>
  <div class="flex flex-col gap-1">
    <span class="caption">{{ tool.does ? "What it answers in a trial that calls nothing, where the case does not say" : "What it answers" }}</span>
    <div v-for="(row, at) in rows" :key="at" class="flex items-center gap-2">
      <span class="caption w-13 shrink-0">called with</span>
      <TypedField class="field h-7 min-w-0 flex-1 font-mono text-sm" :model-value="argumentsText(row.arguments)" placeholder="pier = Hollin" aria-label="Arguments" @update:model-value="putRow(at, { arguments: argumentsFrom($event) })" />
      <TypedField class="field h-7 min-w-0 flex-1 text-sm" :model-value="row.answer" placeholder="its answer" aria-label="Answer to these arguments" @update:model-value="putRow(at, { answer: $event })" />
      <button type="button" class="link text-xs" @click="put({ by_example: rows.filter((_, i) => i !== at) })">remove</button>
    </div>
    <div class="flex items-center gap-2">
      <span class="caption w-13 shrink-0">{{ rows.length ? "else" : "always" }}</span>
      <TypedField
        lines
        class="field field-sizing-content max-h-27.5 min-w-0 flex-1 resize-none text-sm"
        :model-value="tool.answer ?? ''"
        placeholder="a text or JSON, the same for every call"
        :aria-label="`Answer of ${tool.name}`"
        data-test="tool-answer"
        @update:model-value="put({ answer: $event })"
      />
    </div>
    <button type="button" class="link self-start text-sm" @click="put({ by_example: [...rows, { arguments: {}, answer: '' }] })">
      Answer by example
    </button>
  </div>
</template>
