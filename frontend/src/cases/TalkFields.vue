<script setup lang="ts">
/** What is expected of a talk as a whole: what it finds out, its result, what it never asks for, how it parts. */
import type { Texts } from "./editing";

const texts = defineModel<Texts>({ required: true });
</script>

<template>
  <div class="grid grid-cols-2 gap-4">
    <label class="flex flex-col gap-1" data-field="collect">
      <span title="One a line; (by 3): after three answers at the latest">It finds out <span class="caption">(one a line)</span></span>
      <textarea v-model="texts.collect" rows="2" class="field field-sizing-content max-h-40 w-full font-serif" placeholder="colour: dark red | crimson&#10;date: Monday (by 3)" data-test="case-collect"></textarea>
    </label>
    <label class="flex flex-col gap-1" data-field="neverAsks">
      <span>It never asks for <span class="caption">(one a line)</span></span>
      <textarea v-model="texts.neverAsks" rows="2" class="field field-sizing-content max-h-40 w-full font-serif" placeholder="passport | date of birth" data-test="case-never-asks"></textarea>
    </label>
    <label class="flex flex-col gap-1" data-field="result">
      <span title="It comes only after all that is found out">Its result, known by</span>
      <input v-model="texts.result" class="field" placeholder="is noted | see to it" data-test="case-result" />
    </label>
    <label class="flex flex-col gap-1" data-field="goodbye">
      <span>Does it say goodbye?</span>
      <select v-model="texts.goodbye" class="field px-1" data-test="case-goodbye">
        <option value="">nothing is expected</option>
        <option value="yes">yes: once, at the end</option>
        <option value="no">it need not</option>
      </select>
    </label>
  </div>
</template>
