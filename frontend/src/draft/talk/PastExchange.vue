<script setup lang="ts">
/** One turn of a talk that is over: what was said, the answer, and the answer of the run before. */
import { computed, nextTick, ref, useTemplateRef } from "vue";

import type { FindingShape } from "@/api/schema";
import AnswerText from "@/answer/AnswerText.vue";
import { differing } from "@/marks/differing";
import FindingList from "@/marks/FindingList.vue";

const props = defineProps<{ said: string | null; answer: string; findings: FindingShape[]; before: string | undefined; current?: boolean; frozen: boolean }>();
const emit = defineEmits<{ edit: [text: string] }>();
const editing = ref(false);
const text = ref("");
const field = useTemplateRef<HTMLTextAreaElement>("field");
const differs = computed(() => (props.before !== undefined && props.answer ? differing(props.before, props.answer) : null));
const failed = computed(() => props.findings.filter((finding) => finding.passed === false));
const same = computed(() => props.before === props.answer);

async function edit(): Promise<void> {
  text.value = props.said ?? "";
  editing.value = true;
  await nextTick();
  field.value?.focus();
}
function done(): void {
  editing.value = false;
  if (text.value.trim() && text.value !== props.said) emit("edit", text.value.trim());
}
</script>

<template>
  <div class="@container mb-3" data-test="exchange">
    <div v-if="said !== null" class="mb-1 flex items-start gap-2 border-l-2 border-slate bg-slate-wash px-2 py-1">
      <template v-if="editing">
        <textarea
          ref="field"
          v-model="text"
          rows="1"
          class="field-sizing-content min-w-0 flex-1 resize-none bg-white px-1 font-serif text-base outline-none"
          aria-label="What the person says"
          data-test="edit-turn-text"
          @keydown.enter.exact.prevent="done"
          @keydown.esc="editing = false"
        ></textarea>
        <button type="button" class="link text-xs whitespace-nowrap" data-test="edit-turn-go" @click="done">replay from here</button>
      </template>
      <template v-else>
        <span class="min-w-0 flex-1 font-serif text-base break-words" data-test="user-turn">{{ said }}</span>
        <button v-if="!frozen" type="button" class="link text-xs" data-test="edit-turn" @click="edit">edit</button>
      </template>
    </div>
    <slot name="way"></slot>
    <template v-if="answer">
      <p v-if="before !== undefined && same" class="caption mb-1">the same as before</p>
      <div v-if="before !== undefined && !same && differs" class="flex flex-col gap-2 @[420px]:flex-row" data-test="before-after">
        <div class="min-w-0 flex-1 border-l-2 border-rule pl-2">
          <span class="caption">before</span>
          <AnswerText :text="before" :differs="differs[0]" side="baseline" />
        </div>
        <div class="min-w-0 flex-1 border-l-2 border-kelp pl-2">
          <span class="caption">now</span>
          <AnswerText :text="answer" :findings="findings" :differs="differs[1]" />
        </div>
      </div>
      <slot v-else><AnswerText :text="answer" :findings="findings" /></slot>
      <FindingList v-if="!current && failed.length" class="mt-1 text-sm" :findings="failed" />
    </template>
  </div>
</template>
