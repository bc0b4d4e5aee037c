<script setup lang="ts">
/** What the reply should look like: text, a label, or JSON with a shape. */
import { computed, ref, watch } from "vue";

import type { DraftProblem, ReplyShape } from "@/api/schema";
import { listFrom } from "@/parts/values";
import { labelField, labelsOf } from "./labels";
import SchemaEditor from "./SchemaEditor.vue";
import { blankShape, withFields } from "./shape";

const props = defineProps<{ problems: DraftProblem[]; words: string; placed: boolean }>();
const reply = defineModel<ReplyShape>({ required: true });
const emit = defineEmits<{ insert: [text: string] }>();
const KINDS = [
  { value: "text", label: "text" },
  { value: "label", label: "one label" },
  { value: "json", label: "JSON" },
] as const;
const CALL = "{{ reply_shape() }}";

const labels = computed({
  get: () => (reply.value.labels ?? []).join(", "),
  set: (text: string) => {
    reply.value.labels = listFrom(text);
  },
});
const labelText = ref(labels.value);
watch(labels, (text) => {
  const typed = listFrom(labelText.value).join(", ");
  if (typed !== text) labelText.value = text;
});
watch(labelText, (text) => (labels.value = text));
const field = computed(() => labelField(reply.value));
/** Labels that are listed go along when the reply becomes JSON, and come back when it is one label again. */
function setKind(kind: NonNullable<ReplyShape["kind"]>): void {
  const known = labelsOf(reply.value);
  reply.value.kind = kind;
  if (kind === "label") reply.value.labels = known;
  if (kind === "json" && known.length && reply.value.json_schema == null) {
    const label = { name: "label", schema: { type: "string", enum: known }, required: true };
    reply.value.json_schema = withFields(blankShape(), [label]);
  }
}
const problem = computed(() => props.problems.find((p) => p.field.startsWith("reply.")));
</script>

<template>
  <div class="flex flex-col gap-2">
    <div class="flex items-center gap-4">
      <label v-for="kind in KINDS" :key="kind.value" class="flex items-center gap-1">
        <input type="radio" name="reply-kind" :value="kind.value" :checked="(reply.kind ?? 'text') === kind.value" class="accent-kelp" @change="setKind(kind.value)" /> {{ kind.label }}
      </label>
    </div>
    <p v-if="field" class="caption" data-test="labels-are">
      Its labels are the choices of <code class="chip">{{ field.name }}</code>: {{ field.choices.join(", ") || "none yet" }}. Cases expect one of them.
    </p>
    <label v-else-if="reply.kind !== 'text'" class="flex flex-col gap-1">
      <span class="caption">Labels, with commas between: the choices when you say what a case expects</span>
      <input v-model="labelText" class="field font-mono text-sm" placeholder="lost item, delay, other" />
    </label>
    <template v-if="reply.kind === 'json'">
      <SchemaEditor v-model="reply.json_schema" label="The shape that a reply must match" />
      <label class="flex items-center gap-2">
        <input v-model="reply.send_schema" type="checkbox" class="accent-kelp" />
        Also send it as response_format, where the model can use it
      </label>
    </template>
    <p v-if="problem" class="text-sm text-rust" role="alert" data-test="reply-problem">{{ problem.message }}</p>
    <div v-if="words" class="border-l-2 border-rule pl-3">
      <p class="caption">
        In plain words, as <code class="chip">{{ CALL }}</code> puts it into a part<template v-if="placed">, which one does</template>.
        <button v-if="!placed" type="button" class="link" data-test="insert-shape" @click="emit('insert', CALL)">Put it where the cursor was</button>
      </p>
      <pre class="mt-1 font-serif text-base whitespace-pre-wrap" data-test="shape-words">{{ words }}</pre>
    </div>
  </div>
</template>
