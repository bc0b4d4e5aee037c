<script setup lang="ts">
/** The arms of a plan: one row each, the first being what the others are held against. */
import { cheapestAndDearest } from "@/api/models";
import type { ModelLine, VersionLine } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";
import { ARM_SETTINGS, armOf, changeIn, type PlannedArm } from "./arms";

const props = defineProps<{ versions: VersionLine[]; models: ModelLine[]; wrong: string | null }>();
const arms = defineModel<PlannedArm[]>({ required: true });
const COLUMNS = "64px 1fr 52px 52px 52px 108px";
const TITLES = { temperature: "temp.", frequency_penalty: "freq. pen.", presence_penalty: "pres. pen." };
const LOW = { temperature: 0, frequency_penalty: -2, presence_penalty: -2 };

/** One like the last, to be changed in what is to differ; the newest version on the cheapest model to begin with. */
function add(): void {
  const last = arms.value.at(-1);
  const [version, model] = [props.versions[0], cheapestAndDearest(props.models)[0]];
  const next = last ? armOf(last.version, last.model, last.settings, last.lookUp, last) : version && model && armOf(version.number, model.name);
  if (next) arms.value = [...arms.value, next];
}
const told = ({ version, model, settings, lookUp }: PlannedArm) => JSON.stringify([version, model, ARM_SETTINGS.map((name) => settings[name] ?? null), changeIn(lookUp)]);
/** Only a version that looks something up has a way to be changed. */
const looksUp = (arm: PlannedArm) => props.versions.find(({ number }) => number === arm.version)?.looks_up ?? false;
function look(at: number, edit: PlannedArm["lookUp"]): void {
  change(at, { lookUp: { ...arms.value[at]!.lookUp, ...edit } });
}
const whole = (event: Event) => Math.round(Number((event.target as HTMLInputElement).value)) || null;
/** The place of an earlier arm that this one is like, from 1; 0 without one. */
const twinOf = (at: number) => arms.value.slice(0, at).findIndex((arm) => told(arm) === told(arms.value[at]!)) + 1;
function change(at: number, edit: Partial<PlannedArm>): void {
  arms.value = arms.value.map((arm, each) => (each === at ? { ...arm, ...edit } : arm));
}
function set(at: number, name: (typeof ARM_SETTINGS)[number], text: string): void {
  const value = text.trim() === "" ? null : Number(text);
  change(at, { settings: { ...arms.value[at]!.settings, [name]: value } });
}
function remove(at: number): void {
  arms.value = arms.value.filter((_, each) => each !== at);
}
function lead(at: number): void {
  const arm = arms.value[at]!;
  arms.value = [arm, ...arms.value.filter((each) => each !== arm)];
}
const own = (arm: PlannedArm, name: (typeof ARM_SETTINGS)[number]) => {
  const value = props.versions.find((version) => version.number === arm.version)?.settings[name];
  return value === null || value === undefined ? "–" : String(value);
};
const isWrong = (at: number) => twinOf(at) > 0 || props.wrong === `arms.${at}` || !!props.wrong?.startsWith(`arms.${at}.`);
</script>

<template>
  <div role="group" aria-label="Arms">
    <div class="grid gap-x-2 border-b border-rule pb-1" :style="{ gridTemplateColumns: COLUMNS }" aria-hidden="true">
      <span class="caption">version</span>
      <span class="caption">model</span>
      <span v-for="setting in ARM_SETTINGS" :key="setting" class="caption whitespace-nowrap">{{ TITLES[setting] }}</span>
      <span></span>
    </div>
    <div
      v-for="(arm, at) in arms"
      :key="arm.key"
      class="grid items-center gap-x-2 border-b border-rule-soft py-1.25"
      :style="{ gridTemplateColumns: COLUMNS }"
      :class="{ 'bg-rust-wash': isWrong(at) }"
      role="group"
      :aria-label="at === 0 ? 'Arm 1, the baseline' : `Arm ${at + 1}`"
      data-test="arm"
    >
      <select
        class="field px-1 font-mono text-sm"
        :class="at === 0 ? 'text-slate' : ''"
        :value="arm.version"
        aria-label="Version"
        data-test="arm-version"
        @change="change(at, { version: Number(($event.target as HTMLSelectElement).value) })"
      >
        <option v-for="version in versions" :key="version.number" :value="version.number">v{{ version.number }}</option>
      </select>
      <select
        class="field min-w-0 px-1"
        :value="arm.model"
        aria-label="Model"
        data-test="arm-model"
        @change="change(at, { model: ($event.target as HTMLSelectElement).value })"
      >
        <option v-if="!models.some((model) => model.name === arm.model)" :value="arm.model">{{ arm.model }} (not there)</option>
        <option v-for="model in models" :key="model.name" :value="model.name">{{ model.name }}{{ model.built_in ? " (stand-in)" : "" }}</option>
      </select>
      <TypedField
        v-for="setting in ARM_SETTINGS"
        :key="setting"
        class="field w-13 px-1 font-mono text-sm"
        type="number"
        :min="LOW[setting]"
        max="2"
        step="0.1"
        :placeholder="own(arm, setting)"
        :model-value="arm.settings[setting] ?? ''"
        :aria-label="setting.replace('_', ' ')"
        title="Empty takes the version’s own"
        @update:model-value="set(at, setting, $event)"
      />
      <span class="flex items-center justify-end gap-2 text-xs whitespace-nowrap">
        <span v-if="at === 0" class="text-slate">baseline</span>
        <button v-else type="button" class="link" title="Hold the others against this one" @click="lead(at)">baseline</button>
        <button type="button" class="link" data-test="remove-arm" @click="remove(at)">remove</button>
      </span>
      <span v-if="looksUp(arm)" class="col-span-full flex items-center gap-2 pt-1 text-sm" data-test="arm-look-up">
        <span class="caption">looks up in version</span>
        <input class="field h-6.5 w-14 px-1 font-mono text-sm" type="number" min="1" :value="arm.lookUp.version ?? ''" placeholder="newest" aria-label="Version of the collection" title="Of the collection; empty takes what the version says" data-test="arm-collection" @change="look(at, { version: whole($event) })" />
        <span class="caption">at most</span>
        <input class="field h-6.5 w-13 px-1 font-mono text-sm" type="number" min="1" max="50" :value="arm.lookUp.most ?? ''" placeholder="own" aria-label="Passages at most" data-test="arm-most" @change="look(at, { most: whole($event) })" />
        <span class="caption">by</span>
        <select class="field h-6.5 px-1 text-sm" :value="arm.lookUp.method ?? ''" aria-label="Look up by" data-test="arm-method" @change="look(at, { method: (($event.target as HTMLSelectElement).value || null) as PlannedArm['lookUp']['method'] })">
          <option value="">its own way</option>
          <option value="words">words</option>
          <option value="meaning">meaning</option>
          <option value="both">both</option>
        </select>
      </span>
    </div>
    <p v-for="(arm, at) in arms.filter((_, each) => twinOf(each))" :key="arm.key" class="pt-1 text-sm text-rust" role="alert" :data-test="`twin-${at}`">
      Arm {{ arms.indexOf(arm) + 1 }} is the same as arm {{ twinOf(arms.indexOf(arm)) }}: change its version, its model or a setting.
    </p>
    <button type="button" class="link mt-2" data-test="add-arm" @click="add">Add an arm</button>
  </div>
</template>
