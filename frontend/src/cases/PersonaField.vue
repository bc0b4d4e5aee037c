<script setup lang="ts">
/** A person whom a model plays: who they are, what they tell and what they keep, how they write, when they leave. */
import { useModels } from "@/api/models";
import TypedField from "@/parts/TypedField.vue";
import type { PersonaTexts } from "./talkTexts";

const persona = defineModel<PersonaTexts>({ required: true });
defineEmits<{ remove: [] }>();
const models = useModels();
const change = (edit: Partial<PersonaTexts>) => (persona.value = { ...persona.value, ...edit });
const LINES = [
  ["about", "who they are", "A retired captain with all the time in the world"],
  ["goal", "what they want", "To have the umbrella back"],
  ["facts", "what they tell when asked, one a line; * before what they tell by themselves", "colour: dark blue\n* pier: Ness Point"],
  ["withholds", "what they never tell, one a line", "name"],
  ["manner", "how they write", "Few words, no capitals"],
] as const;
</script>

<template>
  <fieldset class="flex flex-col gap-1.5 border-l-2 border-slate pl-3" data-test="persona">
    <legend class="sr-only">Played by a model</legend>
    <p class="flex items-center gap-3 text-sm">
      <span>Played by</span>
      <select class="field h-7 px-1" :value="persona.model" aria-label="The model that plays them" data-test="persona-model" @change="change({ model: ($event.target as HTMLSelectElement).value })">
        <option v-for="each in models.data.value?.models" :key="each.name" :value="each.name">{{ each.name }}</option>
        <option v-if="persona.model && !models.data.value?.models.some((each) => each.name === persona.model)" :value="persona.model">{{ persona.model }} (not in the list)</option>
      </select>
      <span>where no rule is met</span>
      <span class="flex-1"></span>
      <button type="button" class="link" @click="$emit('remove')">remove</button>
    </p>
    <label v-for="[field, told, hint] in LINES" :key="field" class="flex flex-col gap-0.5"
      ><span class="caption">{{ told }}</span>
      <TypedField lines class="field field-sizing-content max-h-40 font-serif" :model-value="persona[field]" :placeholder="hint" :data-test="`persona-${field}`" @update:model-value="change({ [field]: $event })"
    /></label>
    <label class="flex items-center gap-2 text-sm"
      >Leaves after
      <TypedField class="field h-7 w-14" type="number" min="1" max="20" :model-value="persona.patience" @update:model-value="change({ patience: $event })" />
      answers that bring them no nearer
    </label>
  </fieldset>
</template>
