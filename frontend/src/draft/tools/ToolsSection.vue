<script setup lang="ts">
/** Tools that the model may call, and what each answers in a try. */
import { computed, ref } from "vue";

import type { DraftProblem, Tool } from "@/api/schema";
import { useChange } from "../change";
import SchemaEditor from "../reply/SchemaEditor.vue";
import { blankShape } from "../reply/shape";
import ToolAnswers from "./ToolAnswers.vue";
import TypedField from "@/parts/TypedField.vue";

const tools = defineModel<Tool[] | undefined>({ required: true });
const props = defineProps<{ problems: DraftProblem[] }>();
const list = computed(() => tools.value ?? []);
const open = ref(0);
const change = useChange();

function put(at: number, change: Partial<Tool>): void {
  tools.value = list.value.map((each, i) => (i === at ? { ...each, ...change } : each));
}
function add(): void {
  const taken = new Set(list.value.map((tool) => tool.name));
  let number = 1;
  while (taken.has(`tool_${number}`)) number += 1;
  tools.value = [...list.value, { name: `tool_${number}`, parameters: blankShape() }];
  open.value = list.value.length;
}
function remove(at: number): void {
  change(`The tool “${list.value[at]!.name}” is gone.`, () => (tools.value = list.value.filter((_, i) => i !== at)));
}
const problemOf = (at: number) => props.problems.find((problem) => problem.field.startsWith(`tools.${at}.`))?.message;
</script>

<template>
  <div class="flex flex-col gap-2">
    <div v-for="(tool, at) in list" :key="at" class="border-b border-rule-soft pb-2" data-test="tool">
      <div class="flex items-center gap-2">
        <TypedField class="field h-7 w-37.5 font-mono text-sm" maxlength="64" :model-value="tool.name" aria-label="Name of the tool" data-test="tool-name" @update:model-value="put(at, { name: $event.trim() })" />
        <TypedField
          class="field h-7 min-w-0 flex-1 text-sm"
          :model-value="tool.description ?? ''"
          placeholder="what it does, and when to use it"
          :aria-label="`Description of ${tool.name}`"
          @update:model-value="put(at, { description: $event.trim() })"
        />
        <button type="button" class="link text-xs" @click="open = open === at ? -1 : at">{{ open === at ? "fold" : "open" }}</button>
        <button type="button" class="link text-xs" :aria-label="`Remove ${tool.name}`" @click="remove(at)">remove</button>
      </div>
      <p v-if="problemOf(at)" class="mt-1 text-sm text-rust" role="alert">{{ problemOf(at) }}</p>
      <div v-if="open === at" class="mt-2 ml-3 flex flex-col gap-2 border-l border-rule pl-3">
        <SchemaEditor :model-value="tool.parameters" label="What it is called with" what="parameter" @update:model-value="put(at, { parameters: $event as Tool['parameters'] })" />
        <ToolAnswers :model-value="tool" @update:model-value="put(at, $event)" />
      </div>
    </div>
    <p v-if="list.length === 0" class="text-ink-3">No tools. A tool is something the model may ask for, like a timetable.</p>
    <button type="button" class="link self-start text-sm" data-test="add-tool" @click="add">Add a tool</button>
  </div>
</template>
