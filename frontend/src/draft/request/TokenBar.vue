<script setup lang="ts">
import { computed } from "vue";

import type { ExactRequest } from "@/api/schema";
import { count } from "@/marks/format";

const props = defineProps<{ request: ExactRequest }>();
const SHOWN = 8;
const TINTS: Record<string, string> = {
  system: "bg-rule-soft border-ink-2",
  developer: "bg-rule-soft border-ink-2",
  user: "bg-slate-wash border-slate",
  assistant: "bg-kelp-wash border-kelp",
};
const parts = computed(() => props.request.parts);
const largest = computed(() => [...parts.value].sort((a, b) => b.tokens - a.tokens).slice(0, SHOWN));
const answer = computed(() => props.request.answer_tokens ?? 0);
const share = (tokens: number) => `${Math.min(100, (100 * tokens) / props.request.window)}%`;
const used = computed(() => (100 * props.request.tokens) / props.request.window);
const images = computed(() => (JSON.stringify(props.request.body).match(/"type":"image(_url)?"/g) ?? []).length);
const over = computed(() => props.request.tokens + answer.value > props.request.window);
</script>

<template>
  <section class="mb-3" data-test="token-bar">
    <p class="flex items-baseline gap-2">
      <b class="font-semibold">{{ count(request.tokens, "token") }}</b>
      <span class="text-sm text-ink-2">
        {{ used < 1 ? "under 1" : Math.round(used) }}% of the window of {{ request.window.toLocaleString("en")
        }}<template v-if="answer">, and up to {{ answer.toLocaleString("en") }} for the answer</template>
      </span>
      <span class="flex-1"></span>
      <span class="caption">counted by our own vocabulary; nothing is cut before it is sent</span>
    </p>
    <p v-if="images" class="text-sm text-ink-2">And {{ count(images, "image") }}, which each server counts in its own way.</p>
    <p v-if="over" class="text-sm text-rust" role="alert">
      The window is too small for this and its answer: the model will refuse it, or cut the answer off.
    </p>
    <div class="mt-1.5 flex h-4.5 gap-px" role="img" :aria-label="`${count(parts.length, 'part')} by their tokens`">
      <span
        v-for="(part, at) in parts"
        :key="at"
        class="min-w-0.5 truncate border-b-2 px-1 font-mono text-xs leading-4 whitespace-nowrap text-ink"
        :class="TINTS[part.role]"
        :style="{ flexGrow: part.tokens, flexBasis: 0 }"
        :title="`${part.name} (${part.role}): ${count(part.tokens, 'token')}`"
        >{{ part.tokens / request.tokens > 0.08 ? part.name : "" }}</span
      >
    </div>
    <div class="mt-0.75 flex h-1.25 border border-rule bg-white" :title="`Of ${count(request.window, 'token')}`">
      <span :class="over ? 'bg-rust' : 'bg-ink-2'" :style="{ width: share(request.tokens) }"></span>
      <span class="bg-rule" :style="{ width: share(answer) }"></span>
    </div>
    <ul class="mt-2 grid grid-cols-4 gap-x-6 text-sm">
      <li v-for="(part, at) in largest" :key="at" class="flex min-w-0 gap-2">
        <span class="truncate">{{ part.name }}</span>
        <span class="flex-1"></span>
        <span class="font-mono text-ink-2 tabular-nums">{{ part.tokens }}</span>
      </li>
    </ul>
    <p v-if="parts.length > SHOWN" class="caption">and {{ count(parts.length - SHOWN, "smaller part") }}</p>
  </section>
</template>
