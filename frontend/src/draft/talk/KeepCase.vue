<script setup lang="ts">
import { computed, ref, watch } from "vue";

import { useCaseChanges } from "@/api/cases";
import { messageOf } from "@/api/client";
import type { CasePage } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import LabelField from "@/parts/LabelField.vue";
import SheetDialog from "@/parts/SheetDialog.vue";
import { listFrom, shown } from "@/parts/values";

const props = defineProps<{
  open: boolean;
  name: string;
  inputs: Record<string, unknown>;
  turns: string[];
  labels: string[];
  suggested: string | null;
  answers: { name: string; inputs: Record<string, unknown>; text: string; value?: unknown }[];
}>();
const emit = defineEmits<{ close: [] }>();
const changes = useCaseChanges(() => props.name);
type How = "input" | "wanted" | "not";
const how = ref<How>("input");
const which = ref(0);
const label = ref("");
const forbidden = ref("");
const tags = ref("");
const wrong = ref("");
const answer = computed(() => props.answers[which.value]);
/** An answer goes with what it was given for, whatever was typed since. */
const given = computed(() => (how.value === "input" || !answer.value ? props.inputs : answer.value.inputs));
const WAYS: { value: How; label: string }[] = [
  { value: "input", label: "what was asked" },
  { value: "wanted", label: "with an answer as the wanted one" },
  { value: "not", label: "with words it must not say" },
];

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    label.value = props.suggested ?? "";
    wrong.value = "";
    // Words that are marked in an answer are most likely what must not be said.
    const marked = document.getSelection()?.toString().trim() ?? "";
    const markedIn = marked === "" ? -1 : props.answers.findIndex(({ text }) => text.includes(marked));
    const inAnswer = markedIn >= 0;
    which.value = Math.max(markedIn, 0);
    forbidden.value = inAnswer ? marked : "";
    how.value = inAnswer ? "not" : "input";
  },
);
watch([how, answer], () => {
  if (how.value === "wanted" && answer.value) label.value = labelIn(answer.value) ?? label.value;
});

/** The label that an answer gives, where it is one of the prompt's. */
function labelIn({ text, value }: { text: string; value?: unknown }): string | null {
  const told = typeof value === "object" && value !== null ? Object.values(value) : [text.trim()];
  return told.find((each): each is string => typeof each === "string" && props.labels.includes(each)) ?? null;
}

async function putAway(page: CasePage): Promise<void> {
  try {
    await changes.setAway(page.number, page.revision, true);
  } catch (error) {
    complain(messageOf(error));
  }
}

async function keep(): Promise<void> {
  const phrases = how.value === "not" ? forbidden.value.split("\n").map((each) => each.trim()).filter(Boolean) : [];
  try {
    const kept = await changes.keep({
      inputs: given.value,
      turns: props.turns,
      expect: {
        label: label.value.trim() || null,
        answer: how.value === "wanted" ? (answer.value?.text ?? null) : null,
        must_not_say: phrases,
      },
      tags: listFrom(tags.value),
      origin: "kept from a try",
    });
    emit("close");
    const more = phrases.length ? " Answers are now checked for what they must not say." : "";
    say(`Kept as case ${kept.number}.${more}`, () => void putAway(kept));
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
</script>

<template>
  <SheetDialog :open="open" title="Keep as case" width="560px" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="keep">
      <dl class="flex flex-col gap-1 border-l-2 border-rule pl-3">
        <div v-for="(value, input) in given" :key="input" class="flex gap-3">
          <dt class="font-mono text-xs text-slate">{{ input }}</dt>
          <dd class="line-clamp-3 min-w-0 font-serif break-words">{{ shown(value) || "(empty)" }}</dd>
        </div>
        <div v-for="(turn, at) in turns" :key="at" class="flex gap-3">
          <dt class="font-mono text-xs text-slate">then</dt>
          <dd class="line-clamp-2 font-serif">{{ turn }}</dd>
        </div>
      </dl>
      <div v-if="answers.length" class="flex flex-wrap gap-x-4 gap-y-1">
        <label v-for="way in WAYS" :key="way.value" class="flex items-center gap-1">
          <input v-model="how" type="radio" :value="way.value" class="accent-kelp" :data-test="`keep-${way.value}`" /> {{ way.label }}
        </label>
      </div>
      <template v-if="how === 'wanted' && answer">
        <select v-if="answers.length > 1" v-model.number="which" class="field" aria-label="Which answer">
          <option v-for="(each, at) in answers" :key="at" :value="at">the answer of {{ each.name }}</option>
        </select>
        <p class="line-clamp-6 border-l-2 border-kelp pl-3 font-serif break-words whitespace-pre-wrap">{{ answer.text }}</p>
      </template>
      <label v-if="how === 'not'" class="flex flex-col gap-1">
        <span>It must not say <span class="caption">(one a line; capitals do not count)</span></span>
        <textarea v-model="forbidden" rows="2" class="field font-serif" placeholder="e.g. full refund" data-test="must-not-say"></textarea>
      </label>
      <LabelField v-model="label" :labels="labels" />
      <label class="flex flex-col gap-1">
        <span>Tags <span class="caption">(commas between)</span></span>
        <input v-model="tags" class="field" placeholder="e.g. hard, two wishes" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" :disabled="how === 'not' && !forbidden.trim()" data-test="keep-confirm">Keep it</button>
      </div>
    </form>
  </SheetDialog>
</template>
