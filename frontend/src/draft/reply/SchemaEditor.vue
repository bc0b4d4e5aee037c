<script setup lang="ts">
/** A JSON Schema as a form or as JSON, whichever is wanted; both show the same. */
import { computed, ref, watch } from "vue";

import TextEditor from "@/parts/TextEditor.vue";
import { blankShape, isShape, type Schema } from "./shape";
import ShapeForm from "./ShapeForm.vue";

type Kept = Schema | boolean | string | null | undefined;
const schema = defineModel<Kept>({ required: true });
const props = withDefaults(defineProps<{ label: string; what?: string }>(), { what: "field" });
const fits = computed(() => schema.value === null || schema.value === undefined || isShape(schema.value));
const asJson = ref(!fits.value);

/** The JSON as typed: parsed when it is JSON, kept as text while it is not. */
const text = ref(asText(schema.value));
watch(text, (typed) => {
  if (!typed.trim()) {
    schema.value = null;
    return;
  }
  try {
    const parsed: unknown = JSON.parse(typed);
    const usable = typeof parsed === "boolean" || (typeof parsed === "object" && parsed !== null && !Array.isArray(parsed));
    schema.value = usable ? (parsed as Schema) : typed;
  } catch {
    schema.value = typed;
  }
});
watch(schema, (kept) => {
  try {
    if (JSON.stringify(JSON.parse(text.value)) === JSON.stringify(kept)) return;
  } catch {
    if (text.value === kept) return;
  }
  text.value = asText(kept);
});

function asText(kept: Kept): string {
  if (kept === null || kept === undefined) return "";
  return typeof kept === "string" ? kept : JSON.stringify(kept, null, 2);
}
</script>

<template>
  <div>
    <div class="flex items-baseline gap-3">
      <span class="caption flex-1">{{ label }}</span>
      <button
        v-for="raw in [false, true]"
        :key="String(raw)"
        type="button"
        class="text-sm"
        :class="asJson === raw ? 'font-semibold' : 'link'"
        :disabled="!raw && !fits"
        :title="!raw && !fits ? 'Only an object with named fields can be shown as a form' : ''"
        :aria-pressed="asJson === raw"
        :data-test="raw ? 'as-json' : 'as-form'"
        @click="asJson = raw"
      >
        {{ raw ? "JSON" : "form" }}
      </button>
    </div>
    <div v-if="asJson || !fits" class="field mt-1 h-auto max-h-60 overflow-auto py-1" data-test="schema-editor">
      <TextEditor v-model="text" kind="json" undone-outside :label="label" hint='{"type": "object", …}' />
    </div>
    <ShapeForm v-else :what="props.what" :model-value="(schema as Schema | null) ?? blankShape()" @update:model-value="schema = $event" />
  </div>
</template>
