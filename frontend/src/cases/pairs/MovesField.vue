<script setup lang="ts">
/** How the answer must move, a row for each thing in it. */
import { computed } from "vue";

import type { Move } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";
import { type Must, MUSTS, whatInWords } from "./moves";

const moves = defineModel<Move[]>({ required: true });
/** `offered` are the things that an answer has. */
const props = defineProps<{ offered: string[] }>();
const change = (at: number, edit: Partial<Move>) => (moves.value = moves.value.map((move, each) => (each === at ? { ...move, ...edit } : move)));
const listed = computed(() => [...new Set([...props.offered, ...moves.value.map((move) => move.what ?? "")])]);
function add(): void {
  const free = props.offered.find((what) => moves.value.every((move) => move.what !== what)) ?? props.offered[0] ?? "";
  moves.value = [...moves.value, { what: free, must: "same" }];
}
</script>

<template>
  <fieldset class="flex flex-col gap-1.5" data-test="moves">
    <legend class="mb-1">How the answer must move <span class="caption">(against the answer to the original)</span></legend>
    <div v-for="(move, at) in moves" :key="at" class="flex items-center gap-2">
      <select v-if="listed.length > 1" class="field w-44 px-1 font-mono text-sm" :value="move.what" aria-label="What moves" data-test="move-what" @change="change(at, { what: ($event.target as HTMLSelectElement).value })">
        <option v-for="what in listed" :key="what" :value="what">{{ whatInWords(what) }}</option>
      </select>
      <span v-else class="w-44">{{ whatInWords(move.what ?? "") }}</span>
      <select class="field px-1" :value="move.must" aria-label="How it moves" data-test="move-must" @change="change(at, { must: ($event.target as HTMLSelectElement).value as Must })">
        <option v-for="(told, must) in MUSTS" :key="must" :value="must">{{ told }}</option>
      </select>
      <TypedField v-if="move.must === 'is'" class="field min-w-0 flex-1" :model-value="move.value ?? ''" aria-label="What it becomes" data-test="move-value" @update:model-value="change(at, { value: $event })" />
      <span v-else class="flex-1"></span>
      <button type="button" class="link text-sm" :aria-label="`Remove row ${at + 1}`" @click="moves = moves.filter((_, each) => each !== at)">remove</button>
    </div>
    <button type="button" class="link self-start text-sm" data-test="add-move" @click="add">{{ moves.length ? "And something else" : "Say how it must move" }}</button>
  </fieldset>
</template>
