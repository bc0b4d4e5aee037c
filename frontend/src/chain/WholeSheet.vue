<script setup lang="ts">
/** What belongs to the whole chain: inputs, values of the state, outputs, the shape of its answer, caps. */
import { computed } from "vue";

import type { Chain, ChainFault, Input, ReplyShape, StateValue, WalkTakes } from "@/api/schema";
import { cheapestAndDearest, useModels } from "@/api/models";
import ReplySection from "@/draft/reply/ReplySection.vue";
import { cents } from "@/marks/format";
import TypedField from "@/parts/TypedField.vue";
import { asText, listFrom, valueOf } from "@/parts/values";
import ExprField from "./ExprField.vue";
import ExprRows from "./ExprRows.vue";
import ModelField from "./ModelField.vue";

const chain = defineModel<Chain>({ required: true });
const props = defineProps<{ faults: ChainFault[]; takes: { least: WalkTakes; likely: WalkTakes; most: WalkTakes } | null }>();
const set = (more: Partial<Chain>) => (chain.value = { ...chain.value, ...more });
const inputs = computed(() => chain.value.inputs ?? []);
const state = computed(() => chain.value.state ?? []);
const known = computed(() => [...inputs.value, ...state.value].map(({ name }) => name));
const KINDS = ["text", "number", "choice", "list", "record", "passages", "image", "dialogue"] as const;
const putInput = (at: number, more: Partial<Input>) => set({ inputs: inputs.value.map((each, i) => (i === at ? { ...each, ...more } : each)) });
const putValue = (at: number, more: Partial<StateValue>) => set({ state: state.value.map((each, i) => (i === at ? { ...each, ...more } : each)) });
function fresh(wanted: string): string {
  let name = wanted;
  for (let number = 2; known.value.includes(name); number += 1) name = `${wanted}_${number}`;
  return name;
}
const caps = computed(() => chain.value.caps ?? {});
const putCap = (name: "steps" | "calls" | "cents", text: string) => set({ caps: { ...caps.value, [name]: text.trim() === "" || !Number.isFinite(Number(text)) ? (name === "cents" ? null : undefined) : Number(text) } });
const talk = computed(() => chain.value.talk ?? null);
const models = useModels();
const usual = computed(() => cheapestAndDearest(models.data.value?.models ?? [])[0]?.name ?? "");
const putTalk = (more: object) => set({ talk: { ...talk.value!, ...more } });
const converse = (on: boolean) => set({ talk: on ? { words: inputs.value.find(({ kind }) => (kind ?? "text") === "text")?.name ?? "" } : null });
const whole = computed(() => props.faults.filter(({ at }) => at === ""));
const range = (of: (takes: WalkTakes) => string) => (props.takes ? `${of(props.takes.likely)} (${of(props.takes.least)} to ${of(props.takes.most)})` : "");
</script>

<template>
  <div class="flex flex-col gap-3 px-gut py-2" data-test="whole-sheet">
    <p v-for="fault in whole" :key="fault.message" class="text-sm" :class="fault.stops ? 'text-rust' : 'text-straw'" role="alert">{{ fault.message }}</p>
    <p v-if="takes" class="text-sm text-ink-2" data-test="takes">A walk takes {{ range(({ calls }) => String(Math.round(calls))) }} calls and {{ range(({ cents: money }) => cents(money)) }}.</p>
    <section>
      <p class="mb-1 font-semibold">Inputs</p>
      <div v-for="(input, at) in inputs" :key="at" class="mb-1 grid grid-cols-[120px_96px_1fr_auto] items-center gap-1.5">
        <TypedField lazy class="field h-7.5 w-full font-mono text-sm" :model-value="input.name" aria-label="Name of the input" data-test="input-name" @update:model-value="putInput(at, { name: $event.trim() || input.name })" />
        <select class="field h-7.5 px-1" :value="input.kind ?? 'text'" :aria-label="`Kind of ${input.name}`" @change="putInput(at, { kind: ($event.target as HTMLSelectElement).value as Input['kind'] })"><option v-for="kind in KINDS" :key="kind" :value="kind">{{ kind }}</option></select>
        <TypedField class="field h-7.5 w-full text-sm" :model-value="input.description ?? ''" placeholder="what it holds, in a few words" :aria-label="`Description of ${input.name}`" @update:model-value="putInput(at, { description: $event })" />
        <button type="button" class="link text-xs" :aria-label="`Remove ${input.name}`" @click="set({ inputs: inputs.filter((_, other) => other !== at) })">remove</button>
      </div>
      <button type="button" class="link text-sm" data-test="add-input" @click="set({ inputs: [...inputs, { name: fresh('input'), kind: 'text' }] })">another input</button>
    </section>
    <section>
      <p class="mb-1 font-semibold">State <span class="caption font-normal">values that steps write, and others read</span></p>
      <div v-for="(value, at) in state" :key="at" class="mb-1 grid grid-cols-[120px_96px_1fr_auto] items-center gap-1.5">
        <TypedField lazy class="field h-7.5 w-full font-mono text-sm" :model-value="value.name" aria-label="Name of the value" data-test="state-name" @update:model-value="putValue(at, { name: $event.trim() || value.name })" />
        <select class="field h-7.5 px-1" :value="value.how ?? 'replace'" :aria-label="`How ${value.name} is written`" @change="putValue(at, { how: ($event.target as HTMLSelectElement).value as StateValue['how'] })"><option value="replace">replaced</option><option value="append">appended</option><option value="merge">merged</option></select>
        <TypedField lazy class="field h-7.5 w-full font-mono text-sm" :model-value="value.start === undefined || value.start === null ? '' : typeof value.start === 'string' ? value.start || '&quot;&quot;' : asText(value.start)" placeholder="nothing, to begin with" :aria-label="`${value.name} begins as`" @update:model-value="putValue(at, { start: $event.trim() === '' ? null : $event.trim() === '&quot;&quot;' ? '' : valueOf($event) })" />
        <button type="button" class="link text-xs" :aria-label="`Remove ${value.name}`" @click="set({ state: state.filter((_, other) => other !== at) })">remove</button>
      </div>
      <label class="mb-1 flex items-center gap-2"><span class="caption shrink-0">what is said of people stands in</span><TypedField lazy class="field h-7.5 min-w-0 flex-1 font-mono text-sm" :model-value="(chain.personal ?? []).join(', ')" placeholder="none of them" aria-label="Values with personal data" data-test="personal" @update:model-value="set({ personal: listFrom($event) })" /></label>
      <button type="button" class="link text-sm" data-test="add-state" @click="set({ state: [...state, { name: fresh('value') }] })">another value</button>
    </section>
    <ExprRows :model-value="chain.outputs ?? {}" label="Outputs" :faults="faults.filter(({ at }) => at === '')" field="outputs" :names="known" add="another output" hint="the answer that checks look at: one as it is, several as a record" @update:model-value="set({ outputs: $event })" />
    <section>
      <p class="mb-1 font-semibold">Its answer</p>
      <ReplySection :model-value="(chain.reply ?? { kind: 'text' }) as ReplyShape" :problems="[]" words="" :placed="true" @update:model-value="set({ reply: $event })" @insert="() => undefined" />
    </section>
    <section data-test="talk-section">
      <label class="mb-1 flex items-center gap-2"><input type="checkbox" :checked="!!talk" data-test="converses" @change="converse(($event.target as HTMLInputElement).checked)" /><span class="font-semibold">It converses</span> <span class="caption">its steps are taken anew for each thing that the person says; the state stays</span></label>
      <div v-if="talk" class="flex flex-col gap-1.5">
        <span class="flex flex-wrap items-center gap-x-2 gap-y-1"
          >they say <select class="field px-1 font-mono text-sm" :value="talk.words" aria-label="The input that they say" data-test="talk-words" @change="putTalk({ words: ($event.target as HTMLSelectElement).value })"><option v-if="!inputs.some(({ name }) => name === talk!.words)" :value="talk.words">{{ talk.words || "choose…" }}</option><option v-for="each in inputs" :key="each.name" :value="each.name">{{ each.name }}</option></select>, for at most <TypedField lazy class="field h-7.5 w-14" inputmode="numeric" :model-value="talk.turns ?? 20" aria-label="Most turns" @update:model-value="putTalk({ turns: Math.min(100, Math.max(1, Math.round(Number($event)) || 20)) })" /> turns, and are waited for
          <TypedField lazy class="field h-7.5 w-14" inputmode="decimal" :model-value="talk.hours ?? 72" aria-label="Hours" @update:model-value="putTalk({ hours: Number($event) > 0 ? Math.min(2000, Number($event)) : 72 })" /> hours</span
        >
        <ExprField :model-value="talk.until ?? ''" label="Over once" hint="never by itself, while this is empty" :fault="faults.find(({ field }) => field === 'talk.until')?.message ?? ''" test="talk-until" @update:model-value="putTalk({ until: $event.trim() })" />
        <span class="flex items-center gap-2"
          ><label class="flex items-center gap-2"><input type="checkbox" :checked="!!talk.summary" data-test="keeps-summary" @change="putTalk({ summary: ($event.target as HTMLInputElement).checked ? { model: usual } : null })" /> a summary is kept</label>
          <template v-if="talk.summary"><ModelField class="flex-1" label="by" :model-value="talk.summary.model" @update:model-value="putTalk({ summary: { ...talk.summary!, model: $event } })" /><TypedField lazy class="field h-7.5 w-16" inputmode="numeric" :model-value="talk.summary.words ?? 120" aria-label="Words of the summary" @update:model-value="putTalk({ summary: { ...talk.summary!, words: Math.min(1000, Math.max(20, Math.round(Number($event)) || 120)) } })" /> words</template></span
        >
      </div>
    </section>
    <div class="grid grid-cols-[92px_1fr] items-center gap-x-3">
      <span class="font-semibold">Caps</span>
      <span class="flex flex-wrap items-center gap-x-3 gap-y-1">
        <label class="flex items-center gap-1.5"><TypedField lazy class="field h-7.5 w-16" inputmode="numeric" :model-value="caps.steps ?? 200" aria-label="Most steps" @update:model-value="putCap('steps', $event)" /> steps</label>
        <label class="flex items-center gap-1.5"><TypedField lazy class="field h-7.5 w-16" inputmode="numeric" :model-value="caps.calls ?? 60" aria-label="Most calls" @update:model-value="putCap('calls', $event)" /> calls</label>
        <label class="flex items-center gap-1.5"><TypedField lazy class="field h-7.5 w-16" inputmode="decimal" :model-value="caps.cents ?? ''" placeholder="–" aria-label="Most cents" @update:model-value="putCap('cents', $event)" /> cents</label>
      </span>
    </div>
  </div>
</template>
