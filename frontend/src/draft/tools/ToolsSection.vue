<script setup lang="ts">
/** Tools that the model may call: this prompt's own, and those that are kept for several. */
import { computed, ref } from "vue";

import { messageOf } from "@/api/client";
import type { DraftProblem, Tool, ToolChoice } from "@/api/schema";
import { fetchToolVersion, useToolbox, useToolChanges } from "@/api/tools";
import { complain, say } from "@/frame/notices";
import TypedField from "@/parts/TypedField.vue";
import CallByHand from "@/tools/CallByHand.vue";
import { goesOut, inWords } from "@/tools/kinds";
import WorkFields from "@/tools/WorkFields.vue";
import { useChange } from "../change";
import SchemaEditor from "../reply/SchemaEditor.vue";
import { blankShape } from "../reply/shape";
import ToolAnswers from "./ToolAnswers.vue";
import ToolChoiceRow from "./ToolChoiceRow.vue";

const tools = defineModel<Tool[] | undefined>({ required: true });
const choice = defineModel<ToolChoice | null | undefined>("choice", { required: true });
const props = defineProps<{ problems: DraftProblem[] }>();
const list = computed(() => tools.value ?? []);
const open = ref(0);
/** The tool that is called by hand, by its place. */
const called = ref(-1);
const change = useChange();
const toolbox = useToolbox();
const changes = useToolChanges();
const kept = computed(() => toolbox.data.value?.tools ?? []);

function put(at: number, change: Partial<Tool>): void {
  tools.value = list.value.map((each, i) => (i === at ? { ...each, ...change } : each));
}
function freeName(): string {
  const taken = new Set(list.value.map((tool) => tool.name));
  let number = 1;
  while (taken.has(`tool_${number}`)) number += 1;
  return `tool_${number}`;
}
function add(): void {
  tools.value = [...list.value, { name: freeName(), parameters: blankShape() }];
  open.value = list.value.length;
}
function remove(at: number): void {
  change(`The tool “${list.value[at]!.name}” is gone.`, () => (tools.value = list.value.filter((_, i) => i !== at)));
}
const split = (tool: Tool) => /^(.+)@(\d+)$/.exec(tool.kept ?? "");
/** The newest version of a kept tool, where that is another than it has. */
function newer(tool: Tool): number | null {
  const [, name, number] = split(tool) ?? [];
  const line = kept.value.find((each) => each.name === name);
  return line && line.newest > Number(number) ? line.newest : null;
}
/** Take a kept tool, at the place of one or as another. */
async function take(name: string, number: number, at = list.value.length): Promise<void> {
  try {
    const { content } = await fetchToolVersion(name, number);
    const next = [...list.value];
    next.splice(at, at < list.value.length ? 1 : 0, { ...content, kept: `${name}@${number}` });
    tools.value = next;
    open.value = at;
  } catch (error) {
    complain(messageOf(error));
  }
}
function takeFrom(event: Event): void {
  const select = event.target as HTMLSelectElement;
  const line = kept.value.find(({ name }) => name === select.value);
  select.value = "";
  if (line) void take(line.name, line.newest);
}
async function keepForAll(at: number): Promise<void> {
  const tool = list.value[at]!;
  const name = tool.name.toLowerCase().replaceAll(/[^a-z0-9-]+/g, "-").replaceAll(/^-+|-+$/g, "");
  try {
    const made = await changes.create({ name, content: tool });
    put(at, { kept: `${made.name}@1` });
    say(`${made.name} is kept for all prompts, as version 1.`);
  } catch (error) {
    complain(messageOf(error));
  }
}
const problemOf = (at: number) => props.problems.find((problem) => problem.field.startsWith(`tools.${at}.`))?.message;
const choiceProblem = computed(() => props.problems.find((problem) => problem.field.startsWith("tool_choice"))?.message);
</script>

<template>
  <div class="flex flex-col gap-2">
    <div v-for="(tool, at) in list" :key="at" class="border-b border-rule-soft pb-2" data-test="tool">
      <div class="flex items-center gap-2">
        <template v-if="tool.kept">
          <span class="font-mono text-sm font-semibold">{{ tool.name }}</span>
          <RouterLink :to="{ name: 'tools', params: { tool: split(tool)?.[1] } }" class="link font-mono text-xs" data-test="kept-as">{{ tool.kept }}</RouterLink>
          <button v-if="newer(tool)" type="button" class="link text-xs" data-test="take-newer" @click="take(split(tool)![1]!, newer(tool)!, at)">take v{{ newer(tool) }}</button>
          <span class="min-w-0 flex-1 truncate text-sm text-ink-2" :title="tool.description">{{ tool.description }}</span>
        </template>
        <template v-else>
          <TypedField class="field h-7 w-37.5 font-mono text-sm" maxlength="64" :model-value="tool.name" aria-label="Name of the tool" data-test="tool-name" @update:model-value="put(at, { name: $event.trim() })" />
          <TypedField
            class="field h-7 min-w-0 flex-1 text-sm"
            :model-value="tool.description ?? ''"
            placeholder="what it does, and when to use it"
            :aria-label="`Description of ${tool.name}`"
            @update:model-value="put(at, { description: $event.trim() })"
          />
        </template>
        <button type="button" class="link text-xs" @click="open = open === at ? -1 : at">{{ open === at ? "fold" : "open" }}</button>
        <button type="button" class="link text-xs" :aria-label="`Remove ${tool.name}`" @click="remove(at)">remove</button>
      </div>
      <p v-if="problemOf(at)" class="mt-1 text-sm text-rust" role="alert">{{ problemOf(at) }}</p>
      <div v-if="open === at" class="mt-2 ml-3 flex flex-col gap-2 border-l border-rule pl-3">
        <p v-if="tool.kept" class="text-sm text-ink-2">{{ inWords(tool) }}{{ tool.changes ? "; it changes something outside" : "" }}</p>
        <template v-else>
          <SchemaEditor :model-value="tool.parameters" label="What it is called with" what="parameter" @update:model-value="put(at, { parameters: $event as Tool['parameters'] })" />
          <WorkFields :model-value="tool" @update:model-value="put(at, $event)" />
          <ToolAnswers v-if="!tool.does || goesOut(tool)" :model-value="tool" @update:model-value="put(at, $event)" />
        </template>
        <p class="flex gap-4 text-sm">
          <button type="button" class="link" data-test="call-by-hand" @click="called = called === at ? -1 : at">{{ called === at ? "Enough calls" : "Call it by hand" }}</button>
          <button v-if="tool.kept" type="button" class="link" data-test="make-own" @click="put(at, { kept: '' })">Make it this prompt's own</button>
          <button v-else type="button" class="link" data-test="keep-tool" @click="keepForAll(at)">Keep it for other prompts</button>
        </p>
        <CallByHand v-if="called === at" :tool="tool" />
      </div>
    </div>
    <p v-if="list.length === 0" class="text-ink-3">No tools. A tool is something the model may ask for, like a timetable.</p>
    <div class="flex items-center gap-4 text-sm">
      <button type="button" class="link" data-test="add-tool" @click="add">Add a tool</button>
      <select v-if="kept.length" class="field h-7 px-1 text-sm" aria-label="Take a kept tool" data-test="take-tool" @change="takeFrom">
        <option value="">or take a kept one</option>
        <option v-for="each in kept" :key="each.name" :value="each.name">{{ each.name }}</option>
      </select>
    </div>
    <ToolChoiceRow v-if="list.length" v-model="choice" :tools="list.map(({ name }) => name)" :problem="choiceProblem" />
  </div>
</template>
