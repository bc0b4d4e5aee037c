<script setup lang="ts">
/** What was said before the answers of two arms, turn beside turn: talks by rules go their own ways. */
import { computed } from "vue";

import type { ReadingLine } from "@/api/schema";

const props = defineProps<{ sides: (ReadingLine | undefined)[] }>();
interface Exchange {
  answer: string;
  said: string;
}
const talks = computed(() =>
  props.sides.map((reading) => {
    const found: Exchange[] = [];
    for (let at = 0; at < (reading?.talk.length ?? 0); at += 2) found.push({ answer: reading!.talk[at]!.text, said: reading!.talk[at + 1]?.text ?? "" });
    return found;
  }),
);
const rows = computed(() => Math.max(0, ...talks.value.map((talk) => talk.length)));
</script>

<template>
  <ol v-if="rows" class="max-h-[46%] shrink-0 overflow-auto border-b border-rule-soft px-3 py-1" aria-label="The talks before the answers" data-test="talk-rows">
    <li v-for="row in rows" :key="row" class="flex gap-0 border-b border-rule-soft py-1 last:border-b-0">
      <div v-for="(talk, side) in talks" :key="side" class="min-w-0 flex-1 px-2" data-test="talk-turn">
        <template v-if="talk[row - 1]">
          <p class="font-serif text-base whitespace-pre-wrap">{{ talk[row - 1]!.answer }}</p>
          <p class="mt-0.5 border-l-2 border-slate pl-2 text-slate whitespace-pre-wrap"><span class="caption mr-1">{{ row + 1 }}</span>{{ talk[row - 1]!.said }}</p>
        </template>
      </div>
    </li>
  </ol>
</template>
