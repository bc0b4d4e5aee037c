<script setup lang="ts">
/** A pair in two steps: change one thing, and say which way the answer must move. */
import { computed, ref, watch } from "vue";

import { useCaseChanges } from "@/api/cases";
import { messageOf } from "@/api/client";
import type { CasePage, Move, ReplyShape } from "@/api/schema";
import { say } from "@/frame/notices";
import SheetDialog from "@/parts/SheetDialog.vue";
import { asText, copied, isPicture, isRecord, valueLike } from "@/parts/values";
import ChangeLines from "./ChangeLines.vue";
import { changesBetween, movable } from "./moves";
import MovesField from "./MovesField.vue";

const props = defineProps<{ open: boolean; name: string; page: CasePage; reply: ReplyShape | undefined }>();
const emit = defineEmits<{ close: []; made: [number: number] }>();
const changes = useCaseChanges(() => props.name);

interface Field {
  name: string;
  /** Of a record, whose fields are changed one by one. */
  within: string | null;
}
const fields = computed<Field[]>(() =>
  Object.entries(props.page.content.inputs ?? {}).flatMap(([name, value]): Field[] =>
    isRecord(value) ? Object.keys(value).map((key) => ({ name, within: key })) : isPicture(value) ? [] : [{ name, within: null }],
  ),
);
const inputs = ref<Record<string, unknown>>({});
const moves = ref<Move[]>([]);
const step = ref(1);
const error = ref("");
const busy = ref(false);
watch(
  () => props.open,
  (open) => {
    if (!open) return;
    inputs.value = copied(props.page.content.inputs ?? {});
    moves.value = [{ what: movable(props.reply)[0]!, must: "other" }];
    step.value = 1;
    error.value = "";
  },
  { immediate: true },
);
const before = computed(() => props.page.content.inputs ?? {});
const changed = computed(() => changesBetween(before.value, inputs.value).length);

function textOf({ name, within }: Field): string {
  const value = inputs.value[name];
  return asText(within === null ? value : (value as Record<string, unknown>)[within]);
}
function set({ name, within }: Field, text: string): void {
  const kept = before.value[name];
  if (within === null) inputs.value[name] = valueLike(kept, text);
  else inputs.value[name] = { ...(inputs.value[name] as Record<string, unknown>), [within]: valueLike((kept as Record<string, unknown>)[within], text) };
}
async function next(): Promise<void> {
  if (step.value === 1) {
    if (changed.value) step.value = 2;
    return;
  }
  if (busy.value) return;
  busy.value = true;
  error.value = "";
  try {
    const { content, number } = props.page;
    const kept = await changes.keep({
      inputs: inputs.value,
      expect: {},
      tags: content.tags,
      turns: content.turns,
      person: content.person,
      origin: `case ${number}, changed`,
      pair: { of: number, moves: moves.value },
    });
    say(`Kept as case ${kept.number}, paired with case ${number}.`);
    emit("made", kept.number);
  } catch (wrong) {
    error.value = messageOf(wrong);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <SheetDialog :open="open" :title="step === 1 ? `Case ${page.number} with one thing changed` : 'And how must the answer move?'" width="640px" @close="$emit('close')">
    <form class="flex min-h-0 flex-col gap-3" data-test="make-pair" @submit.prevent="next" @keydown.ctrl.enter.prevent.stop="next">
      <div v-if="step === 1" class="flex max-h-[55vh] flex-col gap-2 overflow-auto">
        <label v-for="field in fields" :key="`${field.name}.${field.within}`" class="grid items-baseline gap-x-3" :class="field.within === null ? '' : 'grid-cols-[160px_1fr]'">
          <span class="font-mono text-xs text-slate">{{ field.within === null ? field.name : `${field.name}.${field.within}` }}</span>
          <textarea
            :value="textOf(field)"
            rows="1"
            class="field field-sizing-content max-h-50 w-full font-serif"
            :data-test="`pair-${field.within ?? field.name}`"
            @input="set(field, ($event.target as HTMLTextAreaElement).value)"
          ></textarea>
        </label>
        <p v-if="!fields.length" class="text-ink-2">There is nothing in this case that could be typed otherwise.</p>
      </div>
      <template v-else>
        <div class="border-l-2 border-rule pl-3"><ChangeLines :was="before" :now="inputs" /></div>
        <MovesField v-model="moves" :offered="movable(reply)" />
      </template>
      <p v-if="error" class="text-rust" role="alert">{{ error }}</p>
      <div class="flex items-center gap-3">
        <button type="submit" class="button button-main" :disabled="busy || !changed" data-test="pair-next">{{ step === 1 ? "Next" : "Keep the pair" }}</button>
        <button v-if="step === 2" type="button" class="button" @click="step = 1">Back</button>
        <span class="caption">{{ step === 1 ? (changed ? "" : "Change one thing, so that it is plain what moves the answer.") : "Both are asked in a trial; each repeat is held against its own." }}</span>
      </div>
    </form>
  </SheetDialog>
</template>
