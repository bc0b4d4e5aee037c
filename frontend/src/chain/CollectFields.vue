<script setup lang="ts">
/** What a step finds out by talk: the facts, how they are asked for, and when it gives up. */
import { computed, ref } from "vue";

import type { ChainFault } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";
import { listFrom } from "@/parts/values";
import ExprField from "./ExprField.vue";
import ModelField from "./ModelField.vue";
import type { Step } from "./steps";

type Collect = Extract<Step, { kind: "collect" }>;
type Fact = Collect["fields"][number];
const step = defineModel<Collect>({ required: true });
const props = defineProps<{ faults: ChainFault[] }>();
const set = (more: Partial<Collect>) => (step.value = { ...step.value, ...more });
const put = (at: number, more: Partial<Fact>) => set({ fields: step.value.fields.map((each, i) => (i === at ? { ...each, ...more } : each)) });
const faultOf = (field: string) => props.faults.find((fault) => fault.field === field)?.message ?? "";
const KINDS: [NonNullable<Fact["kind"]>, string][] = [["text", "text"], ["number", "number"], ["whole", "whole number"], ["yes_no", "yes or no"], ["date", "date"], ["time", "time"], ["choice", "choice"]];
const open = ref<number | null>(null);
const numeric = (text: string) => (text.trim() === "" || !Number.isFinite(Number(text)) ? null : Number(text));
const within = (event: Event, least: number, most: number) => Math.min(most, Math.max(least, Number((event.target as HTMLInputElement).value) || least));
const taken = computed(() => new Set(step.value.fields.map(({ name }) => name)));
function addOne(): void {
  let name = "fact";
  for (let number = 2; taken.value.has(name); number += 1) name = `fact_${number}`;
  set({ fields: [...step.value.fields, { name }] });
  open.value = step.value.fields.length - 1;
}
</script>

<template>
  <ModelField :model-value="step.model" label="Notes by" :fault="faultOf('model')" @update:model-value="set({ model: $event })" />
  <ExprField :model-value="step.begins ?? ''" label="Begins with" hint="what was said already, as in: message" :fault="faultOf('begins')" test="begins" @update:model-value="set({ begins: $event.trim() })" />
  <div v-for="(field, i) in step.fields" :key="i" class="border-t border-rule-soft pt-2" data-test="fact-row">
    <div class="grid grid-cols-[104px_128px_1fr_auto_auto] items-center gap-1.5">
      <TypedField lazy class="field h-7.5 w-full font-mono text-sm" maxlength="80" :model-value="field.name" aria-label="Name of the fact" data-test="fact-name" @update:model-value="put(i, { name: $event.trim() || field.name })" />
      <select class="field h-7.5 px-1 text-sm" :value="field.kind ?? 'text'" :aria-label="`Kind of ${field.name}`" @change="put(i, { kind: ($event.target as HTMLSelectElement).value as Fact['kind'] })"><option v-for="[kind, words] in KINDS" :key="kind" :value="kind">{{ words }}</option></select>
      <TypedField class="field h-7.5 w-full font-serif" maxlength="400" :model-value="field.question ?? ''" :placeholder="`What is the ${field.name.replaceAll('_', ' ')}?`" :aria-label="`How ${field.name} is asked for`" data-test="fact-question" @update:model-value="put(i, { question: $event })" />
      <button type="button" class="link text-xs" :aria-expanded="open === i" @click="open = open === i ? null : i">{{ open === i ? "less" : "more" }}</button>
      <button v-if="step.fields.length > 1" type="button" class="link text-xs" :aria-label="`Remove ${field.name}`" @click="set({ fields: step.fields.filter((_, other) => other !== i) })">remove</button>
    </div>
    <div v-if="field.kind === 'choice'" class="mt-1.5 grid grid-cols-[92px_1fr] items-center gap-x-3"><span class="caption">one of</span><TypedField lazy class="field h-7.5 w-full text-sm" :model-value="(field.choices ?? []).join(', ')" placeholder="choices, with commas between" :aria-label="`Choices of ${field.name}`" data-test="fact-choices" @update:model-value="put(i, { choices: listFrom($event) })" /></div>
    <div v-if="open === i" class="mt-1.5 flex flex-col gap-1.5">
      <div class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span class="caption">asked again as</span><TypedField class="field h-7.5 w-full font-serif" maxlength="400" :model-value="field.again ?? ''" placeholder="the question, and in which form it can be understood" :aria-label="`How ${field.name} is asked for again`" @update:model-value="put(i, { again: $event })" /></div>
      <div class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span class="caption">why it asks</span><TypedField class="field h-7.5 w-full font-serif" maxlength="400" :model-value="field.why ?? ''" placeholder="told to who asks why, or refuses" :aria-label="`Why ${field.name} is asked for`" @update:model-value="put(i, { why: $event })" /></div>
      <div class="flex items-center gap-3 pl-26 text-sm">
        <label class="flex items-center gap-1.5"><input type="checkbox" :checked="field.required ?? true" @change="put(i, { required: ($event.target as HTMLInputElement).checked })" /> required</label>
        <template v-if="field.kind === 'number' || field.kind === 'whole'">from <TypedField lazy class="field h-7.5 w-18" inputmode="decimal" placeholder="–" :model-value="field.least ?? ''" :aria-label="`Least ${field.name}`" @update:model-value="put(i, { least: numeric($event) })" /> to <TypedField lazy class="field h-7.5 w-18" inputmode="decimal" placeholder="–" :model-value="field.most ?? ''" :aria-label="`Most ${field.name}`" @update:model-value="put(i, { most: numeric($event) })" /></template>
      </div>
    </div>
    <p v-for="part in ['name', 'choices', 'least']" :key="part" class="text-sm text-rust" role="alert">{{ faultOf(`fields.${i}.${part}`) }}</p>
  </div>
  <p><button type="button" class="link text-sm" data-test="add-fact" @click="addOne">another fact</button> <span class="caption">{{ faultOf("fields") || "one is asked for at a time, the required ones first" }}</span></p>
  <div class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span>Asks</span><span class="flex flex-wrap items-center gap-x-2 gap-y-1">at most <input class="field w-14" type="number" min="1" max="10" :value="step.asks ?? 3" aria-label="So often one fact is asked for" @change="set({ asks: within($event, 1, 10) })" /> times for one fact<label class="flex items-center gap-1.5"><input type="checkbox" :checked="step.reads_back ?? false" data-test="reads-back" @change="set({ reads_back: ($event.target as HTMLInputElement).checked })" /> reads back what it noted</label></span></div>
  <div class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span>Silence</span><span class="flex flex-wrap items-center gap-x-2 gap-y-1">asks once more after <TypedField lazy class="field h-7.5 w-16" inputmode="decimal" placeholder="never" :model-value="step.follow_up_minutes ?? ''" aria-label="Minutes until it asks once more" @update:model-value="set({ follow_up_minutes: Number($event) > 0 ? Number($event) : null })" /> minutes, waits <input class="field w-18" type="number" min="0.1" max="2000" step="0.5" :value="step.hours ?? 72" aria-label="Hours it waits" @change="set({ hours: within($event, 0.01, 2000) })" /> hours</span></div>
  <div class="grid grid-cols-[92px_1fr] items-start gap-x-3"><span class="pt-1.25">Giving up</span><span class="flex min-w-0 flex-col gap-1.5"><select class="field w-52 px-1" :value="step.on_giving_up ?? 'halt'" aria-label="Where it gives up" @change="set({ on_giving_up: ($event.target as HTMLSelectElement).value as Collect['on_giving_up'] })"><option value="halt">ends the walk</option><option value="go_on">goes on with what is known</option></select><TypedField class="field h-7.5 w-full font-serif" maxlength="400" :model-value="step.goodbye ?? ''" placeholder="I can’t go on without that. Thank you for your time; write again whenever you like." aria-label="What is said then" @update:model-value="set({ goodbye: $event })" /></span></div>
</template>
