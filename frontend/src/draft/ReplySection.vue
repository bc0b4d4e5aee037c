<script setup lang="ts">
/** What the reply should look like: text, a label, or JSON with a schema. */
import { computed, ref, watch } from "vue";

import type { DraftProblem, ReplyShape } from "@/api/schema";
import TextEditor from "@/parts/TextEditor.vue";

const props = defineProps<{ problems: DraftProblem[] }>();
const reply = defineModel<ReplyShape>({ required: true });
const KINDS = [
  { value: "text", label: "text" },
  { value: "label", label: "one label" },
  { value: "json", label: "JSON" },
] as const;

const labels = computed({
  get: () => (reply.value.labels ?? []).join(", "),
  set: (text: string) => {
    reply.value.labels = text.split(",").map((label) => label.trim()).filter(Boolean);
  },
});
const labelText = ref(labels.value);
watch(labels, (text) => {
  const typed = labelText.value.split(",").map((label) => label.trim()).filter(Boolean).join(", ");
  if (typed !== text) labelText.value = text;
});
watch(labelText, (text) => (labels.value = text));

/** The schema as typed: parsed when it is JSON, kept as text while it is not. */
const schemaText = ref(asText(reply.value.json_schema));
watch(schemaText, (text) => {
  if (!text.trim()) {
    reply.value.json_schema = null;
    return;
  }
  try {
    const parsed: unknown = JSON.parse(text);
    const usable = typeof parsed === "boolean" || (typeof parsed === "object" && parsed !== null && !Array.isArray(parsed));
    reply.value.json_schema = usable ? (parsed as Record<string, unknown>) : text;
  } catch {
    reply.value.json_schema = text;
  }
});
watch(
  () => reply.value.json_schema,
  (schema) => {
    try {
      if (JSON.stringify(JSON.parse(schemaText.value)) === JSON.stringify(schema)) return;
    } catch {
      if (schemaText.value === schema) return;
    }
    schemaText.value = asText(schema);
  },
);

function asText(schema: ReplyShape["json_schema"]): string {
  if (schema === null || schema === undefined) return "";
  return typeof schema === "string" ? schema : JSON.stringify(schema, null, 2);
}
const problem = computed(() => props.problems.find((p) => p.field.startsWith("reply.")));
</script>

<template>
  <div class="flex flex-col gap-2">
    <div class="flex items-center gap-4">
      <label v-for="kind in KINDS" :key="kind.value" class="flex items-center gap-1">
        <input v-model="reply.kind" type="radio" :value="kind.value" class="accent-kelp" /> {{ kind.label }}
      </label>
    </div>
    <label v-if="reply.kind !== 'text'" class="flex flex-col gap-1">
      <span class="caption">Labels, with commas between: the choices when you say what a case expects</span>
      <input v-model="labelText" class="field font-mono text-sm" placeholder="lost item, delay, other" />
    </label>
    <template v-if="reply.kind === 'json'">
      <div>
        <span class="caption">JSON Schema that a reply must match</span>
        <div class="field h-auto max-h-[220px] overflow-auto py-1" data-test="schema-editor">
          <TextEditor v-model="schemaText" kind="json" label="Reply schema" hint='{"type": "object", …}' />
        </div>
      </div>
      <label class="flex items-center gap-2">
        <input v-model="reply.send_schema" type="checkbox" class="accent-kelp" />
        Also send it as response_format, where the model can use it
      </label>
    </template>
    <p v-if="problem" class="text-sm text-rust" role="alert" data-test="reply-problem">{{ problem.message }}</p>
  </div>
</template>
