<script setup lang="ts">
import type { Stage } from "./course";

defineProps<{ stage: Stage; subject: string; current: boolean }>();
</script>

<template>
  <RouterLink
    :to="{ name: stage.key, params: { name: subject } }"
    class="relative flex max-w-55 min-w-0 flex-1 flex-col justify-center px-gut max-wide:px-2 hover:bg-paper"
    :aria-current="current ? 'page' : undefined"
    :data-test="`stage-${stage.key}`"
  >
    <span class="flex items-center gap-2">
      <span
        class="flex size-4.75 shrink-0 items-center justify-center rounded-full border-[1.5px] font-mono text-xs"
        :class="
          current
            ? 'border-kelp bg-kelp text-white'
            : stage.reached
              ? 'border-kelp text-kelp'
              : 'border-rule text-ink-3'
        "
        >{{ stage.number }}</span
      >
      <span class="font-semibold" :class="current ? 'text-kelp' : 'text-ink'">{{ stage.title }}</span>
      <span class="h-px flex-1 bg-rule" aria-hidden="true"></span>
    </span>
    <span class="truncate text-xs text-ink-2" :title="stage.state" :data-test="`state-${stage.key}`">{{ stage.state || "\u00a0" }}</span>
    <span v-if="current" class="absolute inset-x-0 bottom-[-1px] h-0.75 bg-kelp" aria-hidden="true"></span>
  </RouterLink>
</template>
