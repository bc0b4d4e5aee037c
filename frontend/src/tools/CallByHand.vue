<script setup lang="ts">
/** Calling a tool by hand: what it is called with, what the model would be told, and the calls before. */
import { computed, ref, useTemplateRef, watch } from "vue";

import { messageOf } from "@/api/client";
import type { CallOut, Tool } from "@/api/schema";
import { useCallsByHand, useToolChanges, useToolTakes } from "@/api/tools";
import { duration } from "@/marks/format";
import TypedField from "@/parts/TypedField.vue";

const props = defineProps<{
  tool: Tool;
  /** The name under which it is kept: its calls are kept with it. */
  kept?: string;
}>();
const changes = useToolChanges();
const takes = useToolTakes(computed(() => props.tool));
interface Rule { type?: string; description?: string; enum?: unknown[] }
const parameters = computed(() => {
  const schema = takes.value as { properties?: Record<string, Rule>; required?: string[] };
  return Object.entries(schema.properties ?? {}).map(([name, rule]) => ({ name, rule, must: schema.required?.includes(name) ?? false }));
});
const given = ref<Record<string, string>>({});
const asJson = ref(false);
const json = ref("{}");
const allowed = ref(false);
/** As it says, or by the method that it asks with: the server has the same rule. */
const mayChange = computed(() => !!props.tool.does && (!!props.tool.changes || (props.tool.does.kind === "http" && (props.tool.does.method ?? "GET") !== "GET")));
const busy = ref(false);
const wrong = ref("");
const came = ref<CallOut | null>(null);
const calls = useCallsByHand(computed(() => props.kept ?? null));
const before = computed(() => calls.data.value?.calls ?? []);
const first = useTemplateRef<HTMLElement>("form");
watch([() => props.kept, () => props.tool.does?.kind], () => {
  came.value = null;
  wrong.value = "";
  given.value = {};
});

function valueOf(text: string, { type, enum: choices }: Rule): unknown {
  if (type === "number" || type === "integer") return text.trim() !== "" && Number.isFinite(Number(text)) ? Number(text) : text;
  if (type === "boolean") return text === "true" ? true : text === "false" ? false : text;
  if (choices?.length && !choices.includes(text)) return choices.find((each) => String(each) === text) ?? text;
  if (type === "array" || type === "object") {
    try {
      return JSON.parse(text) as unknown;
    } catch {
      return text;
    }
  }
  return text;
}
const written = computed(() => {
  if (asJson.value) return json.value;
  const told = parameters.value.filter(({ name, must }) => (given.value[name] ?? "") !== "" || must);
  return JSON.stringify(Object.fromEntries(told.map(({ name, rule }) => [name, valueOf(given.value[name] ?? "", rule)])));
});
function turn(): void {
  if (!asJson.value) json.value = JSON.stringify(JSON.parse(written.value), null, 2);
  asJson.value = !asJson.value;
}
async function call(): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  wrong.value = "";
  try {
    came.value = await changes.call({ content: props.tool, arguments: written.value, allowed: allowed.value, tool: props.kept ?? "" });
  } catch (error) {
    came.value = null;
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
    allowed.value = false;
  }
}
/** JSON set so that it can be read. */
function set(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
function again(args: string): void {
  asJson.value = true;
  json.value = set(args);
}
defineExpose({ focus: () => first.value?.querySelector<HTMLElement>("input, textarea, select")?.focus() });
</script>

<template>
  <div class="flex flex-col gap-3" data-test="by-hand">
    <form ref="form" class="flex flex-col gap-2" @submit.prevent="call" @keydown.ctrl.enter.prevent="call">
      <template v-if="!asJson">
        <label v-for="each in parameters" :key="each.name" class="flex flex-col gap-0.5">
          <span><span class="font-mono text-sm font-semibold">{{ each.name }}</span> <span class="caption">{{ each.rule.description ?? (each.must ? "" : "may be left out") }}</span></span>
          <select v-if="each.rule.enum" v-model="given[each.name]" class="field h-7 px-1 text-sm" :data-test="`arg-${each.name}`">
            <option v-if="!each.must" value="">left out</option>
            <option v-for="choice in each.rule.enum" :key="String(choice)">{{ choice }}</option>
          </select>
          <TypedField v-else lines class="field field-sizing-content max-h-40 min-h-7 resize-none font-mono text-sm" :model-value="given[each.name] ?? ''" :aria-label="each.name" :data-test="`arg-${each.name}`" @update:model-value="given[each.name] = $event" />
        </label>
        <p v-if="!parameters.length" class="caption">It is called with nothing.</p>
      </template>
      <textarea v-else v-model="json" class="field field-sizing-content max-h-60 min-h-14 resize-none font-mono text-sm" aria-label="Arguments as JSON" data-test="args-json"></textarea>
      <label v-if="mayChange" class="flex items-center gap-2 text-sm text-straw">
        <input v-model="allowed" type="checkbox" class="accent-kelp" data-test="allow-call" /> {{ tool.changes ? "It changes" : "It may change" }} something outside, and I want that
      </label>
      <p class="flex items-center gap-3">
        <button type="submit" class="button button-main" :disabled="busy || (mayChange && !allowed)" data-test="call">{{ busy ? "Calling…" : "Call it" }}</button>
        <button type="button" class="link text-sm" @click="turn">{{ asJson ? "as fields" : "as JSON" }}</button>
        <span class="caption">Ctrl Enter</span>
      </p>
    </form>
    <p v-if="wrong" class="text-rust" role="alert" data-test="call-problem">{{ wrong }}</p>
    <div v-if="came" class="border-l-2 pl-3" :class="came.fault ? 'border-rust' : 'border-kelp'" data-test="came">
      <p class="caption">{{ came.fault ? "The model would be told" : "The model is told" }}<template v-if="came.how === 'live'">, after {{ duration(came.ms) }}</template><template v-else>; nothing was reached</template></p>
      <pre class="max-h-75 overflow-auto font-mono text-sm break-words whitespace-pre-wrap" tabindex="0" role="group" aria-label="What it answered">{{ set(came.answer) }}</pre>
    </div>
    <details v-if="before.length" data-test="calls-before">
      <summary class="caption cursor-pointer">{{ before.length === 1 ? "1 call" : `${before.length} calls` }} by hand before</summary>
      <ol class="flex flex-col">
        <li v-for="each in before" :key="each.id" class="border-b border-rule-soft py-1 text-sm">
          <button type="button" class="block w-full truncate text-left font-mono hover:underline" title="Take these arguments" @click="again(each.arguments)">{{ each.arguments }}</button>
          <span class="block truncate" :class="each.fault ? 'text-rust' : 'text-ink-2'">{{ each.fault ?? each.answer }}</span>
        </li>
      </ol>
    </details>
  </div>
</template>
