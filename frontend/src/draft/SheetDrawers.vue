<script setup lang="ts">
/** What belongs to the prompt besides its parts: one row of names, one drawer open at a time. */
import { computed, defineAsyncComponent, ref } from "vue";

import type { DraftProblem, ModelLine, Prompt } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import type { RenameDraft } from "./inputs/renameDraft";

const ExamplesSection = defineAsyncComponent(() => import("./examples/ExamplesSection.vue"));
const InputsSection = defineAsyncComponent(() => import("./inputs/InputsSection.vue"));
const ReplySection = defineAsyncComponent(() => import("./reply/ReplySection.vue"));
const SettingsSection = defineAsyncComponent(() => import("./SettingsSection.vue"));
const ToolsSection = defineAsyncComponent(() => import("./tools/ToolsSection.vue"));

const prompt = defineModel<Prompt>({ required: true });
const props = defineProps<{
  facts: { inputs: string[]; unused: string[]; replyInWords: string; problems: DraftProblem[]; doubts: DraftProblem[] };
  /** Of the subject. */
  name: string;
  models: ModelLine[];
  rename: RenameDraft;
}>();
const emit = defineEmits<{ insert: [text: string] }>();
type Drawer = "inputs" | "examples" | "reply" | "tools" | "settings";
const open = ref<Drawer | null>(null);

const toggle = (drawer: Drawer) => () => (open.value = open.value === drawer ? null : drawer);
useKeys([
  {
    keys: { i: toggle("inputs"), e: toggle("examples"), y: toggle("reply"), t: toggle("tools"), s: toggle("settings") },
    shown: ["I", "E", "Y", "T", "S"],
    label: "drawers",
  },
]);

const texts = computed(() => (prompt.value.messages ?? []).flatMap((message) => (message.parts ?? []).map((part) => part.text ?? "")));
const calls = (name: string) => texts.value.some((text) => new RegExp(`\\b${name}\\(`).test(text));
const settingsInWords = computed(() => {
  const { temperature, top_p, frequency_penalty, presence_penalty, max_tokens } = prompt.value.settings ?? {};
  const told = [
    temperature != null && `temp. ${temperature}`,
    top_p != null && `top p ${top_p}`,
    (frequency_penalty != null || presence_penalty != null) && "penalties",
    max_tokens != null && `${max_tokens} tokens`,
  ].filter(Boolean);
  return told.slice(0, 2).join(", ") || "default";
});
const drawers = computed<{ key: Drawer; title: string; told: string; wrong: boolean }[]>(() => {
  const wrong = (start: string) => [...props.facts.problems, ...props.facts.doubts].some((problem) => problem.field.startsWith(start));
  const { examples = [], tools = [], reply } = prompt.value;
  const on = examples.filter((example) => !example.off).length;
  return [
    { key: "inputs", title: "Inputs", told: String(props.facts.inputs.length), wrong: wrong("inputs") || props.facts.unused.length > 0 },
    { key: "examples", title: "Examples", told: on === examples.length ? String(on) : `${on} of ${examples.length}`, wrong: wrong("examples") },
    { key: "reply", title: "Reply", told: { text: "text", label: "label", json: "JSON" }[reply?.kind ?? "text"], wrong: wrong("reply") },
    { key: "tools", title: "Tools", told: String(tools.length), wrong: wrong("tools") },
    { key: "settings", title: "Settings", told: settingsInWords.value, wrong: wrong("settings") },
  ];
});
const TITLES: Record<Drawer, string> = {
  inputs: "What the text asks for",
  examples: "Worked pairs, shown to the model",
  reply: "What the answer should look like",
  tools: "What the model may ask for",
  settings: "How the answer is drawn",
};
</script>

<template>
  <div class="shrink-0 border-t border-rule">
    <section v-if="open" class="max-h-85 overflow-auto border-b border-rule-soft px-4 py-2" :data-test="`drawer-${open}`">
      <p class="caption mb-1">{{ TITLES[open] }}</p>
      <InputsSection
        v-if="open === 'inputs'"
        v-model="prompt.inputs"
        :found="facts.inputs"
        :unused="facts.unused"
        :problems="facts.problems"
        :rename="rename"
      />
      <ExamplesSection
        v-else-if="open === 'examples'"
        v-model="prompt"
        :inputs="facts.inputs"
        :name="name"
        :problems="facts.problems"
        :doubts="facts.doubts"
        :placed="calls('examples')"
        @insert="emit('insert', $event)"
      />
      <ReplySection
        v-else-if="open === 'reply'"
        v-model="prompt.reply!"
        :problems="facts.problems"
        :words="facts.replyInWords"
        :placed="calls('reply_shape')"
        @insert="emit('insert', $event)"
      />
      <ToolsSection v-else-if="open === 'tools'" v-model="prompt.tools" v-model:choice="prompt.tool_choice" :problems="facts.problems" />
      <SettingsSection v-else v-model="prompt.settings!" :models="models" />
    </section>
    <div class="flex" role="group" aria-label="What belongs to the prompt">
      <button
        v-for="drawer in drawers"
        :key="drawer.key"
        type="button"
        class="flex min-w-0 grow flex-col items-start border-r border-rule-soft px-3 py-1.25 text-left last:border-r-0 hover:bg-paper"
        :class="open === drawer.key ? 'bg-kelp-wash hover:bg-kelp-wash' : ''"
        :aria-expanded="open === drawer.key"
        :data-test="`open-${drawer.key}`"
        @click="toggle(drawer.key)()"
      >
        <span class="font-medium">{{ drawer.title }}</span>
        <span class="max-w-full truncate font-mono text-xs" :class="drawer.wrong ? 'text-straw' : 'text-ink-3'"
          >{{ drawer.told }}{{ drawer.wrong ? ", look" : "" }}</span
        >
      </button>
    </div>
  </div>
</template>
