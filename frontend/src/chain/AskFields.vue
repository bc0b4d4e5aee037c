<script setup lang="ts">
/** A step that asks: its model, and its prompt in the sheet that any prompt has. */
import { computed, ref, useTemplateRef } from "vue";

import { messageOf } from "@/api/client";
import { useModels } from "@/api/models";
import { useDesk } from "@/api/subjects";
import type { ChainFault, DraftProblem, Prompt } from "@/api/schema";
import PromptSheet from "@/draft/PromptSheet.vue";
import SheetDrawers from "@/draft/SheetDrawers.vue";
import { complain, say } from "@/frame/notices";
import { api, got } from "@/api/client";
import { useStale } from "@/api/stale";
import { keptPrompt } from "./cutting";
import ExprRows from "./ExprRows.vue";
import ModelField from "./ModelField.vue";
import type { Step } from "./steps";
import VoteFields from "./VoteFields.vue";
import WritesField from "./WritesField.vue";

const step = defineModel<Extract<Step, { kind: "ask" | "vote" }>>({ required: true });
const props = defineProps<{ name: string; faults: ChainFault[]; asks: string[]; names: string[]; known: string[]; talks: boolean }>();
const emit = defineEmits<{ named: [name: string] }>();
const stale = useStale();
const models = useModels();
const list = computed(() => models.data.value?.models ?? []);
const desk = useDesk();
const prompts = computed(() => (desk.data.value?.pages ?? []).flatMap((page) => page.subjects).filter(({ kind, versions }) => kind === "prompt" && versions > 0));
const sheet = useTemplateRef<{ insert: (text: string) => void }>("sheet");
const busy = ref(false);

/** What is wrong in the prompt, as its own sheet tells it. */
const problems = computed<DraftProblem[]>(() => props.faults.filter(({ field }) => field.startsWith("prompt.")).map((fault) => ({ field: fault.field.slice(7), message: fault.message, part: null, line: null })));
const facts = computed(() => ({ inputs: props.asks, unused: [], replyInWords: "", problems: problems.value, doubts: [] }));
const seesFault = computed(() => props.faults.find(({ field }) => field === "sees")?.message ?? "");
const see = (how: string) => set({ sees: how ? { how } : null });
const given = computed(() => props.faults.find(({ field }) => field === "given")?.message ?? "");
function set(more: object): void {
  step.value = { ...step.value, ...more } as typeof step.value;
}

async function take(reference: string): Promise<void> {
  const [, name, number] = /^(.+)@(\d+)$/.exec(reference) ?? [];
  if (!name) return set({ kept: "" });
  busy.value = true;
  try {
    const version = await got(api.GET("/api/v1/subjects/{name}/versions/{number}", { params: { path: { name, number: Number(number) } } }));
    set({ kept: reference, prompt: version.content });
  } catch (wrong) {
    complain(messageOf(wrong));
  } finally {
    busy.value = false;
  }
}
async function keepIt(): Promise<void> {
  busy.value = true;
  try {
    const kept = await keptPrompt(props.name, step.value.name, step.value.prompt as Prompt);
    set({ kept });
    await stale.desk();
    say(`It is ${kept} now: change it there, and take its newest version here.`);
  } catch (wrong) {
    complain(messageOf(wrong));
  } finally {
    busy.value = false;
  }
}
const noRename = () => Promise.reject(new Error("Rename it in the text of the step: its cases are those of the chain."));
</script>

<template>
  <div class="flex flex-col gap-2 px-gut py-2">
    <ModelField :model-value="step.model" @update:model-value="set({ model: $event })" />
    <div class="grid grid-cols-[92px_1fr] items-center gap-x-3 gap-y-2">
      <span>Prompt</span>
      <span class="flex items-center gap-3">
        <select class="field max-w-60 px-1" :value="step.kept ?? ''" :disabled="busy" aria-label="Prompt" data-test="step-prompt" @change="take(($event.target as HTMLSelectElement).value)">
          <option value="">this step’s own</option>
          <option v-if="step.kept && !prompts.some(({ name: each, versions }) => step.kept === `${each}@${versions}`)" :value="step.kept">{{ step.kept }}</option>
          <option v-for="each in prompts" :key="each.name" :value="`${each.name}@${each.versions}`">{{ each.name }}@{{ each.versions }}</option>
        </select>
        <button v-if="!step.kept" type="button" class="link text-sm" :disabled="busy" title="As a subject with versions and cases of its own, which this step asks" data-test="keep-prompt" @click="keepIt">keep it as a prompt</button>
        <button v-if="step.kept" type="button" class="link text-sm" data-test="make-own" @click="set({ kept: '' })">make it this step’s own</button>
      </span>
    </div>
    <VoteFields v-if="step.kind === 'vote'" :model-value="step" :faults="faults" @update:model-value="step = $event" />
    <div v-else-if="talks || step.sees" class="grid grid-cols-[92px_1fr] items-center gap-x-3">
      <span>Of the talk</span>
      <span class="flex flex-wrap items-center gap-x-2">
        <select class="field px-1" :value="step.sees?.how ?? ''" aria-label="What it sees of the talk" data-test="sees" @change="see(($event.target as HTMLSelectElement).value)"><option value="">it sees nothing but what it is given</option><option value="all">it sees all that was said</option><option value="last">it sees the last things said</option><option value="summary">it sees the summary</option></select>
        <template v-if="step.sees?.how === 'last'"><input class="field w-14" type="number" min="1" max="100" :value="step.sees.last ?? 6" aria-label="So many things said" @change="set({ sees: { how: 'last', last: Math.min(100, Math.max(1, Number(($event.target as HTMLInputElement).value) || 6)) } })" /> of them</template>
        <span v-if="seesFault" class="text-sm text-rust" role="alert">{{ seesFault }}</span>
      </span>
    </div>
    <ExprRows v-if="asks.some((name) => !known.includes(name)) || Object.keys(step.given ?? {}).length" :model-value="step.given ?? {}" label="Is given" :faults="faults" field="given" :names="asks" hint="inputs of the prompt that are not values of the same name" @update:model-value="set({ given: $event })" />
    <p v-if="given" class="ml-26 text-sm text-rust" role="alert">{{ given }}</p>
    <WritesField v-if="step.kind === 'ask'" :model-value="step.writes ?? ''" :names="names" :faults="faults" many over="text, json, reasoning" what="the answer" @update:model-value="set({ writes: $event })" @named="emit('named', $event)" />
    <WritesField v-else :model-value="step.writes" :names="names" :faults="faults" :many="false" over="" what="the answer" @update:model-value="set({ writes: $event })" @named="emit('named', $event)" />
  </div>
  <div class="border-t border-rule-soft" :class="step.kept ? 'pointer-events-none opacity-75' : ''" :inert="!!step.kept" data-undo="draft">
    <PromptSheet :key="step.kept ?? ''" ref="sheet" :model-value="step.prompt as Prompt" :problems="problems" :inputs="[...new Set([...asks, ...known])]" :unguarded="[]" @update:model-value="set({ prompt: $event })" @fragment="() => undefined" />
  </div>
  <SheetDrawers v-if="!step.kept" :model-value="step.prompt as Prompt" :facts="facts" :name="name" :models="list.filter(({ name: each }) => each === step.model)" :rename="noRename" @update:model-value="set({ prompt: $event })" @insert="sheet?.insert($event)" />
</template>
