<script setup lang="ts">
/** What the person says next, a box for each turn; a turn may have several lines. */
import { nextTick, useTemplateRef } from "vue";
import TypedField from "@/parts/TypedField.vue";

const turns = defineModel<string[]>({ required: true });
const boxes = useTemplateRef<HTMLTextAreaElement[]>("boxes");

function change(at: number, text: string): void {
  turns.value = turns.value.map((turn, each) => (each === at ? text : turn));
}
async function add(words = ""): Promise<void> {
  turns.value = [...turns.value, words];
  await nextTick();
  boxes.value?.at(-1)?.focus();
}
</script>

<template>
  <fieldset class="flex flex-col gap-1">
    <legend class="mb-1">What the person says next <span class="caption">(for talks, turn by turn)</span></legend>
    <div v-for="(turn, at) in turns" :key="at" class="flex items-start gap-2">
      <span class="w-5 pt-1.75 text-right font-mono text-xs text-ink-2">{{ at + 2 }}</span>
      <TypedField
        lines
        ref="boxes"
        class="field field-sizing-content max-h-40 min-w-0 flex-1 font-serif"
        :model-value="turn"
        :aria-label="`What the person says at turn ${at + 2}`"
        data-test="case-turn"
        @update:model-value="change(at, $event)"
      />
      <button type="button" class="link pt-line text-xs" :aria-label="`Remove turn ${at + 2}`" @click="turns = turns.filter((_, each) => each !== at)">remove</button>
    </div>
    <p class="flex gap-4 text-sm">
      <button type="button" class="link" data-test="add-turn" @click="add()">{{ turns.length ? "Add a turn" : "Add what they say next" }}</button>
      <button type="button" class="link" title="Nothing is said for a time, to see whether and how it is followed up" data-test="add-silence" @click="add('(silence: 2 minutes)')">Add a silence</button>
    </p>
  </fieldset>
</template>
