<script setup lang="ts">
/** Narrows the list by words and terms; what could be meant is offered while one types. */
import { computed, nextTick, ref, useTemplateRef } from "vue";

import { useCaseSets, useCaseTags } from "@/api/cases";
import { completions, type Completion, wordAt } from "./terms";

const props = defineProps<{ name: string; versions: number }>();
const typed = defineModel<string>({ required: true });
const known = useCaseTags(computed(() => props.name));
const sets = useCaseSets(computed(() => props.name));
const input = useTemplateRef<HTMLInputElement>("input");
const focused = ref(false);
const cursor = ref(0);
const at = ref(-1);
/** Put by with Escape, or by a choice that is whole; typing on opens it again. */
const shut = ref(false);
const word = computed(() => wordAt(typed.value, cursor.value));
const offered = computed(() => (focused.value && !shut.value ? completions(word.value.word, known.data.value, props.versions, sets.data.value?.sets) : []));

const place = () => (cursor.value = input.value?.selectionStart ?? 0);
function type(event: Event): void {
  typed.value = (event.target as HTMLInputElement).value;
  [shut.value, at.value] = [false, -1];
  place();
}
async function take({ text, open }: Completion): Promise<void> {
  const { start, word: old } = word.value;
  const rest = typed.value.slice(start + old.length);
  const end = open || rest.startsWith(" ") ? "" : " ";
  typed.value = typed.value.slice(0, start) + text + end + rest;
  await nextTick();
  const to = start + text.length + end.length;
  input.value?.setSelectionRange(to, to);
  [cursor.value, at.value, shut.value] = [to, -1, false];
}
function press(event: KeyboardEvent): void {
  if (event.isComposing) return;
  const { length } = offered.value;
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    if (!length) return;
    event.preventDefault();
    at.value = (at.value + (event.key === "ArrowDown" ? 1 : -1) + length + (at.value < 0 && event.key === "ArrowUp" ? 1 : 0)) % length;
  } else if ((event.key === "Enter" || event.key === "Tab") && offered.value[at.value]) {
    event.preventDefault();
    void take(offered.value[at.value]!);
  } else if (event.key === "Enter") {
    shut.value = true;
  } else if (event.key === "Escape" && length) {
    event.stopPropagation();
    [shut.value, at.value] = [true, -1];
  }
}
function look(): void {
  [focused.value, shut.value, at.value] = [true, false, -1];
  place();
}
defineExpose({ focus: () => input.value?.focus() });
</script>

<template>
  <div class="relative min-w-0 flex-1">
    <input
      ref="input"
      class="field w-full"
      type="search"
      role="combobox"
      :value="typed"
      placeholder="Narrow: words, label:, tag:, fails:v2 …"
      aria-label="Narrow the list"
      aria-controls="find-cases-terms"
      :aria-expanded="offered.length > 0"
      :aria-activedescendant="at >= 0 ? `find-cases-term-${at}` : undefined"
      autocomplete="off"
      spellcheck="false"
      data-test="find-cases"
      @input="type"
      @keydown="press"
      @keyup="place"
      @click="place"
      @focus="look"
      @blur="focused = false"
    />
    <ul v-show="offered.length" id="find-cases-terms" role="listbox" aria-label="What could be meant" class="absolute inset-x-0 top-full z-20 mt-1 max-h-80 min-w-90 overflow-auto border border-ink-3 bg-sheet py-1">
      <li
        v-for="(each, place_) in offered"
        :id="`find-cases-term-${place_}`"
        :key="each.text"
        role="option"
        :aria-selected="place_ === at"
        class="flex cursor-pointer justify-between gap-4 px-3 py-1"
        :class="place_ === at ? 'bg-kelp-wash' : 'hover:bg-paper'"
        :data-test="`term-${each.text}`"
        @mousedown.prevent="take(each)"
      >
        <span class="font-mono text-sm">{{ each.text }}</span><span class="caption">{{ each.told }}</span>
      </li>
    </ul>
  </div>
</template>
