<script setup lang="ts">
/** The arms of a plan for a chain: its versions as they are, with something else at one step, or a prompt that it is held
 * against. */
import { computed } from "vue";

import { useChainSteps } from "@/api/chains";
import { cheapestAndDearest } from "@/api/models";
import { useDesk } from "@/api/subjects";
import type { ModelLine, VersionLine } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";
import { armOf, type PlannedArm } from "./arms";

const props = defineProps<{ name: string; versions: VersionLine[]; models: ModelLine[]; wrong: string | null }>();
const arms = defineModel<PlannedArm[]>({ required: true });
const COLUMNS = "132px 56px minmax(0,1fr) minmax(0,1fr) 52px 96px";
const desk = useDesk();
const others = computed(() => (desk.data.value?.pages ?? []).flatMap((page) => page.subjects).filter(({ name, versions }) => name !== props.name && versions > 0));
const kindOf = (arm: PlannedArm) => (arm.subject ? others.value.find(({ name }) => name === arm.subject)?.kind : "chain");
const numbersOf = (arm: PlannedArm) => (arm.subject ? Array.from({ length: others.value.find(({ name }) => name === arm.subject)?.versions ?? arm.version }, (_, at) => at + 1).reverse() : props.versions.map(({ number }) => number));
const chain = useChainSteps(computed(() => props.name), () => true);
/** Those that ask a model: of a route its chooser's is meant. */
const steps = computed(() => chain.steps.value.flatMap((step) => (step.kind === "route" ? (step.chooser ? [{ name: step.name, model: step.chooser.model }] : []) : "model" in step ? [{ name: step.name, model: step.model }] : [])));
const told = ({ key: _, ...arm }: PlannedArm) => JSON.stringify(arm);
const twinOf = (at: number) => arms.value.slice(0, at).findIndex((arm) => told(arm) === told(arms.value[at]!)) + 1;
const isWrong = (at: number) => twinOf(at) > 0 || props.wrong === `arms.${at}` || !!props.wrong?.startsWith(`arms.${at}.`);

function change(at: number, edit: Partial<PlannedArm>): void {
  arms.value = arms.value.map((arm, each) => (each === at ? { ...arm, ...edit } : arm));
}
const cheapest = () => cheapestAndDearest(props.models)[0]?.name ?? "";
function of(at: number, subject: string): void {
  const line = others.value.find(({ name }) => name === subject);
  const version = line ? line.versions : (props.versions[0]?.number ?? 1);
  change(at, { subject, version, step: "", prompt: "", settings: {}, model: line?.kind === "prompt" ? cheapest() : "" });
}
function vary(at: number, step: string): void {
  change(at, { step, settings: {}, prompt: "", model: step ? (steps.value.find(({ name }) => name === step)?.model ?? cheapest()) : "" });
}
function add(): void {
  const last = arms.value.at(-1);
  arms.value = [...arms.value, last ? armOf(last.version, last.model, last.settings, last.lookUp, last) : armOf(props.versions[0]?.number ?? 1, "")];
}
const remove = (at: number) => (arms.value = arms.value.filter((_, each) => each !== at));
function lead(at: number): void {
  const arm = arms.value[at]!;
  arms.value = [arm, ...arms.value.filter((each) => each !== arm)];
}
const text = (event: Event) => (event.target as HTMLSelectElement).value;
</script>

<template>
  <div role="group" aria-label="Arms">
    <div class="grid gap-x-2 border-b border-rule pb-1" :style="{ gridTemplateColumns: COLUMNS }" aria-hidden="true">
      <span class="caption">what</span><span class="caption">version</span><span class="caption">varied step</span><span class="caption">model</span><span class="caption">temp.</span><span></span>
    </div>
    <div v-for="(arm, at) in arms" :key="arm.key" class="grid items-center gap-x-2 border-b border-rule-soft py-1.25" :style="{ gridTemplateColumns: COLUMNS }" :class="{ 'bg-rust-wash': isWrong(at) }" role="group" :aria-label="at === 0 ? 'Arm 1, the baseline' : `Arm ${at + 1}`" data-test="arm">
      <select class="field min-w-0 px-1" :class="at === 0 ? 'text-slate' : ''" :value="arm.subject" aria-label="What is asked" data-test="arm-subject" @change="of(at, text($event))">
        <option value="">this chain</option>
        <option v-for="each in others" :key="each.name" :value="each.name">{{ each.name }}</option>
      </select>
      <select class="field px-1 font-mono text-sm" :value="arm.version" aria-label="Version" data-test="arm-version" @change="change(at, { version: Number(text($event)) })"><option v-for="number in numbersOf(arm)" :key="number" :value="number">v{{ number }}</option></select>
      <select v-if="!arm.subject" class="field min-w-0 px-1" :value="arm.step" aria-label="Step that is varied" data-test="arm-step" @change="vary(at, text($event))">
        <option value="">none</option>
        <option v-for="each in steps" :key="each.name" :value="each.name">{{ each.name }}</option>
        <option v-if="arm.step && !steps.some(({ name: each }) => each === arm.step)" :value="arm.step">{{ arm.step }}</option>
      </select>
      <span v-else class="caption">{{ kindOf(arm) === "chain" ? "as it is" : "" }}</span>
      <select v-if="arm.step || kindOf(arm) === 'prompt'" class="field min-w-0 px-1" :value="arm.model" aria-label="Model" data-test="arm-model" @change="change(at, { model: text($event) })">
        <option v-if="!models.some((model) => model.name === arm.model)" :value="arm.model">{{ arm.model || "choose…" }}</option>
        <option v-for="model in models" :key="model.name" :value="model.name">{{ model.name }}</option>
      </select>
      <span v-else class="caption truncate">of its steps</span>
      <TypedField v-if="arm.step || kindOf(arm) === 'prompt'" class="field w-13 px-1 font-mono text-sm" type="number" min="0" max="2" step="0.1" placeholder="own" :model-value="arm.settings.temperature ?? ''" aria-label="temperature" @update:model-value="change(at, { settings: { ...arm.settings, temperature: $event.trim() === '' ? null : Number($event) } })" />
      <span v-else></span>
      <span class="flex items-center justify-end gap-2 text-xs whitespace-nowrap">
        <span v-if="at === 0" class="text-slate">baseline</span>
        <button v-else type="button" class="link" title="Hold the others against this one" @click="lead(at)">baseline</button>
        <button type="button" class="link" data-test="remove-arm" @click="remove(at)">remove</button>
      </span>
      <label v-if="arm.step" class="col-span-full flex items-center gap-2 pt-1 text-sm"><span class="caption">with the prompt</span><TypedField lazy class="field h-6.5 w-44 font-mono text-sm" :model-value="arm.prompt" placeholder="its own, or name@version" aria-label="Version of a prompt for this step" data-test="arm-prompt" @update:model-value="change(at, { prompt: $event.trim() })" /></label>
    </div>
    <p v-for="(arm, at) in arms.filter((_, each) => twinOf(each))" :key="arm.key" class="pt-1 text-sm text-rust" role="alert" :data-test="`twin-${at}`">Arm {{ arms.indexOf(arm) + 1 }} is the same as arm {{ twinOf(arms.indexOf(arm)) }}: change its version, its model or a step.</p>
    <button type="button" class="link mt-2" data-test="add-arm" @click="add">Add an arm</button>
  </div>
</template>
