<script setup lang="ts">
/** The tools that were called on the way to an answer, with their arguments and what they said. */
import type { ToolUse } from "@/api/schema";

defineProps<{ uses: ToolUse[] }>();
function shown(text: string): string {
  try {
    const given = JSON.parse(text) as Record<string, unknown>;
    return Object.entries(given).map(([name, value]) => `${name} = ${typeof value === "string" ? value : JSON.stringify(value)}`).join(", ");
  } catch {
    return text;
  }
}
</script>

<template>
  <ol class="mb-2 flex flex-col gap-1">
    <li v-for="(use, at) in uses" :key="at" class="border-l-2 pl-2" :class="use.fault ? 'border-rust' : 'border-slate'" data-test="tool-use">
      <span class="block font-mono text-sm break-words"><span class="font-semibold text-slate">{{ use.name }}</span>({{ shown(use.arguments) }})</span>
      <span v-if="use.fault" class="block text-sm text-rust">{{ use.fault }}</span>
      <details v-else>
        <summary class="caption cursor-pointer truncate">said {{ use.answer || "nothing" }}</summary>
        <p class="text-sm whitespace-pre-wrap text-ink-2">{{ use.answer }}</p>
      </details>
    </li>
  </ol>
</template>
