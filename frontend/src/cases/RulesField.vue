<script setup lang="ts">
/** What the person of a talk says by rules: asked for this, they say that, the first time, the second, and so on. */
import { computed, nextTick, useTemplateRef } from "vue";

import { usePersonSays } from "@/api/cases";
import { useModels } from "@/api/models";
import TypedField from "@/parts/TypedField.vue";
import PersonaField from "./PersonaField.vue";
import { blankPersona, personFrom, type PersonTexts, type RuleTexts } from "./talkTexts";

const person = defineModel<PersonTexts>({ required: true });
const rows = useTemplateRef<HTMLElement>("rows");
const change = (edit: Partial<PersonTexts>) => (person.value = { ...person.value, ...edit });
const changeRule = (at: number, edit: Partial<RuleTexts>) => change({ rules: person.value.rules.map((rule, each) => (each === at ? { ...rule, ...edit } : rule)) });
async function add(): Promise<void> {
  change({ rules: [...person.value.rules, { asked: "", say: "", leaves: false }] });
  await nextTick();
  rows.value?.querySelectorAll<HTMLElement>('[data-test="rule-asked"]')[person.value.rules.length - 1]?.focus();
}
const models = useModels();
const says = usePersonSays(computed(() => ({ answers: [], case: { person: personFrom(person.value) } })));
</script>

<template>
  <fieldset class="flex flex-col gap-1" data-test="rules">
    <legend class="mb-1">Then by rules <span class="caption">(a rule that says nothing ends the talk)</span></legend>
    <div ref="rows" class="flex flex-col gap-2">
      <div v-for="(rule, at) in person.rules" :key="at" class="grid grid-cols-[20px_2fr_3fr] gap-x-2 gap-y-1 border-b border-rule-soft pb-2">
        <span class="pt-1.75 text-right font-mono text-xs text-ink-2">{{ at + 1 }}</span>
        <label class="flex flex-col gap-0.5"
          ><span class="caption">an answer has one of</span>
          <TypedField class="field" :model-value="rule.asked" placeholder="date | which day" data-test="rule-asked" @update:model-value="changeRule(at, { asked: $event })"
        /></label>
        <label class="flex flex-col gap-0.5"
          ><span class="caption">says, a line each time</span>
          <TypedField lines class="field field-sizing-content max-h-40 font-serif" :model-value="rule.say" data-test="rule-say" @update:model-value="changeRule(at, { say: $event })"
        /></label>
        <span class="col-start-2 col-span-2 flex items-center gap-4 text-sm">
          <label class="flex items-center gap-1.5"><input type="checkbox" class="accent-kelp" :checked="rule.leaves" @change="changeRule(at, { leaves: ($event.target as HTMLInputElement).checked })" /> leaves when asked once more</label>
          <button type="button" class="link" :aria-label="`Remove rule ${at + 1}`" @click="change({ rules: person.rules.filter((_, each) => each !== at) })">remove</button>
        </span>
      </div>
    </div>
    <PersonaField v-if="person.persona" :model-value="person.persona" @update:model-value="change({ persona: $event })" @remove="change({ persona: null })" />
    <div v-if="person.rules.length || person.otherwise || person.persona" class="grid grid-cols-[1fr_auto] gap-3">
      <span v-if="person.persona"></span>
      <label v-else class="flex flex-col gap-0.5"
        ><span class="caption">when no rule is met, says; empty ends the talk</span>
        <TypedField lines class="field field-sizing-content max-h-40 font-serif" :model-value="person.otherwise" data-test="rule-otherwise" @update:model-value="change({ otherwise: $event })"
      /></label>
      <label class="flex flex-col gap-0.5"
        ><span class="caption">turns at most</span>
        <TypedField class="field w-20" type="number" min="1" max="40" :model-value="person.most" @update:model-value="change({ most: $event })"
      /></label>
    </div>
    <p v-for="doubt in says.data.value?.doubts" :key="doubt" class="text-sm text-straw" data-test="rule-doubt">{{ doubt }}</p>
    <p class="flex gap-4 text-sm">
      <button type="button" class="link" data-test="add-rule" @click="add">{{ person.rules.length ? "Add a rule" : "Let them answer by rules" }}</button>
      <button v-if="!person.persona" type="button" class="link" data-test="add-persona" @click="change({ persona: blankPersona(models.data.value?.models[0]?.name ?? '') })">Have a model play them</button>
    </p>
  </fieldset>
</template>
