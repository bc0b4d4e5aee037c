<script setup lang="ts">
/** What a tool does, and how a trial has it answered. */
import { computed } from "vue";

import { useCollections } from "@/api/knowledge";
import type { Tool } from "@/api/schema";
import { useToolbox } from "@/api/tools";
import LookUpSettings from "@/knowledge/LookUpSettings.vue";
import TypedField from "@/parts/TypedField.vue";
import HttpFields from "./HttpFields.vue";
import { goesOut, IN_TRIALS, kindOf, KINDS, newWork, type Work, type WorkKind } from "./kinds";
import SqlFields from "./SqlFields.vue";

const tool = defineModel<Tool>({ required: true });
const collections = useCollections();
const toolbox = useToolbox();
const does = computed(() => tool.value.does ?? null);
const put = (change: Partial<Tool>) => (tool.value = { ...tool.value, ...change });
const set = (work: Work | null) => put({ does: work });
const text = (event: Event) => (event.target as HTMLInputElement).value;
const collection = computed(() => {
  const work = does.value;
  return work?.kind === "look_up" ? collections.data.value?.collections.find(({ name }) => name === work.looking.collection) : undefined;
});

function choose(kind: WorkKind): void {
  const work = newWork(kind);
  // What is called with what it does needs no parameters of its own.
  const own = kind === "fixed" || kind === "http" || kind === "code";
  put({ does: work, ...(own ? {} : { parameters: null }), ...(goesOut({ ...tool.value, does: work }) ? {} : { changes: false, in_trials: "recorded" }) });
}
</script>

<template>
  <div class="flex flex-col gap-2" data-test="work">
    <label class="flex items-center gap-2 text-sm"
      ><span class="w-24 shrink-0">When called, it</span>
      <select class="field h-7 px-1 text-sm" :value="kindOf(tool)" :aria-label="`What ${tool.name} does`" data-test="work-kind" @change="choose(text($event) as WorkKind)">
        <option v-for="each in KINDS" :key="each.kind" :value="each.kind">{{ each.label }}</option>
      </select>
    </label>
    <HttpFields v-if="does?.kind === 'http'" :model-value="does" @update:model-value="set" />
    <SqlFields v-else-if="does?.kind === 'sql'" :model-value="does" @update:model-value="set" />
    <div v-else-if="does?.kind === 'clock'" class="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
      <label class="flex items-center gap-1.5">in the zone <TypedField class="field h-7 w-36 text-sm" :model-value="does.zone ?? 'UTC'" aria-label="Time zone" @update:model-value="set({ ...does, zone: $event.trim() || 'UTC' })" /></label>
      <label class="flex items-center gap-1.5">in trials it is always <TypedField class="field h-7 w-40 font-mono text-sm" :model-value="does.fixed ?? ''" placeholder="when the trial began" aria-label="Fixed moment" data-test="clock-fixed" @update:model-value="set({ ...does, fixed: $event.trim() })" /></label>
    </div>
    <p v-else-if="does?.kind === 'arithmetic'" class="caption">An expression in CEL, as 12.50 * 3.0 + 4.2: numbers, comparisons, texts and lists, nothing that reaches anything.</p>
    <div v-else-if="does?.kind === 'look_up'" class="flex flex-col gap-1.5 text-sm">
      <select class="field h-7 self-start px-1 text-sm" :value="does.looking.collection" aria-label="Collection" data-test="work-collection" @change="set({ ...does, looking: { ...does.looking, collection: text($event), version: null } })">
        <option value="">choose a collection</option>
        <option v-for="each in collections.data.value?.collections ?? []" :key="each.name" :value="each.name">{{ each.name }}</option>
        <option v-if="does.looking.collection && !collection" :value="does.looking.collection">{{ does.looking.collection }} (not there)</option>
      </select>
      <LookUpSettings :model-value="does.looking" :can-mean="!!collection?.embeds_with" @update:model-value="set({ ...does, looking: $event })" />
    </div>
    <label v-else-if="does?.kind === 'code'" class="flex items-center gap-2 text-sm"
      >named
      <select class="field h-7 px-1 font-mono text-sm" :value="does.entry ?? ''" aria-label="Entry point" @change="set({ ...does, entry: text($event) })">
        <option value="">choose an entry point</option>
        <option v-for="each in toolbox.data.value?.installed ?? []" :key="each">{{ each }}</option>
        <option v-if="does.entry && !toolbox.data.value?.installed.includes(does.entry)" :value="does.entry">{{ does.entry }} (not installed)</option>
      </select>
      <span v-if="!toolbox.data.value?.installed.length" class="caption">none is installed: a package offers one in the group epistem.tools</span>
    </label>
    <template v-if="goesOut(tool)">
      <label class="flex items-center gap-2 text-sm">
        <input type="checkbox" class="accent-kelp" :checked="tool.changes" data-test="work-changes" @change="put({ changes: ($event.target as HTMLInputElement).checked, ...(($event.target as HTMLInputElement).checked ? { in_trials: 'recorded' as const } : {}) })" />
        It changes something outside: a try asks you first, a trial never does it
      </label>
      <label class="flex items-center gap-2 text-sm"
        ><span class="w-24 shrink-0">In a trial, it</span>
        <select class="field h-7 min-w-0 px-1 text-sm" :value="tool.in_trials ?? 'recorded'" :disabled="tool.changes" data-test="work-trials" @change="put({ in_trials: text($event) as Tool['in_trials'] })">
          <option v-for="each in IN_TRIALS" :key="each.value" :value="each.value">{{ each.label }}</option>
        </select>
      </label>
    </template>
  </div>
</template>
