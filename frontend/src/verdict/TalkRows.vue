<script setup lang="ts">
/** What was said before the answers of two arms, turn beside turn: talks by rules go their own ways. */
import { computed, ref, useTemplateRef } from "vue";

import type { ReadingLine } from "@/api/schema";
import { useKeys } from "@/frame/keys";

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
/** The turn that one has walked to; 0 for none. */
const at = ref(0);
const list = useTemplateRef<HTMLElement>("list");
const STEPS: Record<string, number> = { j: 1, ArrowDown: 1, k: -1, ArrowUp: -1 };
function press(event: KeyboardEvent): void {
  if (event.key === "Escape") list.value?.blur();
  const step = STEPS[event.key];
  if (!step || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  at.value = Math.min(Math.max(at.value + step, 1), rows.value);
  document.getElementById(`talk-turn-${at.value}`)?.scrollIntoView({ block: "nearest" });
}
useKeys([{ keys: { w: () => list.value?.focus() }, shown: ["W"], label: "walk the talk" }]);
const rows = computed(() => Math.max(0, ...talks.value.map((talk) => talk.length)));
</script>

<template>
  <ol
    v-if="rows"
    ref="list"
    class="max-h-[46%] shrink-0 overflow-auto border-b border-rule-soft px-3 py-1"
    role="listbox"
    tabindex="0"
    aria-label="The talks before the answers: J and K walk from turn to turn"
    :aria-activedescendant="at ? `talk-turn-${at}` : undefined"
    data-test="talk-rows"
    @keydown="press"
    @focus="at ||= 1"
    @blur="at = 0"
  >
    <li v-for="row in rows" :id="`talk-turn-${row}`" :key="row" role="option" :aria-selected="row === at" class="flex gap-0 border-b border-rule-soft py-1 last:border-b-0" :class="row === at ? 'bg-paper' : ''">
      <div v-for="(talk, side) in talks" :key="side" class="min-w-0 flex-1 px-2" data-test="talk-turn">
        <template v-if="talk[row - 1]">
          <p class="font-serif text-base whitespace-pre-wrap">{{ talk[row - 1]!.answer }}</p>
          <p class="mt-0.5 border-l-2 border-slate pl-2 text-slate whitespace-pre-wrap"><span class="caption mr-1">{{ row + 1 }}</span>{{ talk[row - 1]!.said }}</p>
        </template>
      </div>
    </li>
  </ol>
</template>
