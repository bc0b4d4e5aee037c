<script setup lang="ts">
/** The ways of a route: the first that is true, or the one that a model chooses by what it is about. */
import { computed } from "vue";

import type { ChainFault } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";
import ExprField from "./ExprField.vue";
import ModelField from "./ModelField.vue";
import type { Step } from "./steps";

type Route = Extract<Step, { kind: "route" }>;
const step = defineModel<Route>({ required: true });
const props = defineProps<{ faults: ChainFault[]; reads: string; model: string }>();
const chooser = computed(() => step.value.chooser ?? null);
const set = (more: Partial<Route>) => (step.value = { ...step.value, ...more });
const putWay = (at: number, more: object) => set({ ways: step.value.ways.map((each, i) => (i === at ? { ...each, ...more } : each)) });
const putChooser = (more: object) => set({ chooser: { ...chooser.value!, ...more } });
const faultOf = (field: string) => props.faults.find((fault) => fault.field === field)?.message ?? "";
function choose(how: string): void {
  set({ chooser: how === "model" ? (chooser.value ?? { model: props.model, of: props.reads }) : null });
}
</script>

<template>
  <label class="grid grid-cols-[92px_1fr] items-center gap-x-3"
    ><span>It takes</span>
    <select class="field w-60 px-1" :value="chooser ? 'model' : 'true'" data-test="chosen-by" @change="choose(($event.target as HTMLSelectElement).value)"><option value="true">the first way that is true</option><option value="model">the way that a model chooses</option></select></label
  >
  <template v-if="chooser">
    <ModelField :model-value="chooser.model" :fault="faultOf('chooser.model')" @update:model-value="putChooser({ model: $event })" />
    <ExprField :model-value="chooser.of" label="It reads" :fault="faultOf('chooser.of')" test="chooser-of" @update:model-value="putChooser({ of: $event })" />
    <div class="grid grid-cols-[92px_1fr] items-start gap-x-3"><span class="pt-1.25">It is told</span><TypedField lines class="field field-sizing-content max-h-30 w-full resize-none font-serif" :model-value="chooser.says ?? ''" placeholder="nothing besides the ways" aria-label="It is told" @update:model-value="putChooser({ says: $event })" /></div>
  </template>
  <div v-for="(way, i) in step.ways" :key="i" class="grid grid-cols-[112px_auto_1fr_auto] items-start gap-1.5" data-test="way-row">
    <TypedField lazy class="field h-7.5 w-full text-sm" maxlength="40" :model-value="way.name" aria-label="Name of the way" @update:model-value="putWay(i, { name: $event.trim() || way.name })" />
    <span class="pt-1.25 text-ink-3">{{ chooser ? "for" : "where" }}</span>
    <span class="flex min-w-0 flex-col">
      <TypedField v-if="chooser" lines class="field field-sizing-content w-full resize-none font-serif" maxlength="400" :model-value="way.about ?? ''" placeholder="what belongs on this way, in a few words" aria-label="What it is about" data-test="way-about" @update:model-value="putWay(i, { about: $event })" />
      <TypedField v-else lines class="field field-sizing-content w-full resize-none font-mono text-sm" spellcheck="false" :model-value="way.when ?? ''" aria-label="Where" @update:model-value="putWay(i, { when: $event })" />
      <span v-if="faultOf(chooser ? `ways.${i}.about` : `ways.${i}.when`)" class="text-sm text-rust" role="alert">{{ faultOf(chooser ? `ways.${i}.about` : `ways.${i}.when`) }}</span>
    </span>
    <button v-if="step.ways.length > 1" type="button" class="link pt-1.5 text-xs" @click="set({ ways: step.ways.filter((_, other) => other !== i) })">remove</button>
  </div>
  <p><button type="button" class="link text-sm" data-test="add-way" @click="set({ ways: [...step.ways, { name: `way ${step.ways.length + 1}`, ...(chooser ? { about: '' } : { when: 'false' }), steps: [] }] })">another way</button> <span class="caption">otherwise the last is taken{{ chooser ? ", also where the model names a way that there is not" : "" }}</span></p>
</template>
