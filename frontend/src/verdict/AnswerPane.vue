<script setup lang="ts">
import { computed, ref, watch } from "vue";

import AnswerText from "@/answer/AnswerText.vue";
import ToolUses from "@/answer/ToolUses.vue";
import FoundPassages from "@/answer/FoundPassages.vue";
import { jsonIn } from "@/answer/jsonIn";
import type { ArmShape, ReadingLine } from "@/api/schema";
import FindingList from "@/marks/FindingList.vue";
import { cents, count, duration } from "@/marks/format";
import { passes } from "@/marks/passing";
import type { Span } from "@/marks/spans";

const props = defineProps<{
  arm: ArmShape;
  readings: ReadingLine[];
  reading: ReadingLine | undefined;
  differs: Span[];
  /** What the other arm answered, where both are JSON; the same as this one where there is none. */
  beside: unknown;
  pending: boolean;
  isBaseline: boolean;
}>();
/** Whether the passages of both sides are open. */
const found = defineModel<boolean>("found", { default: false });
const cited = ref<{ number: number; sentence: string } | null>(null);
watch(
  () => props.reading?.id,
  () => (cited.value = null),
);
defineEmits<{ exact: [reading: ReadingLine]; example: [reading: ReadingLine]; walk: [reading: ReadingLine] }>();

const passing = computed(() => {
  const answered = props.readings.filter((each) => each.error === null || each.error === undefined);
  const passed = answered.filter((each) => passes(each.findings)).length;
  return answered.length ? `${passed} of ${answered.length} pass all` : "";
});
const value = computed(() => jsonIn(props.reading?.answer ?? ""));
const STOPS: Record<string, string> = { length: "cut off at the token limit", content_filter: "held back by the server" };
</script>

<template>
  <article class="flex min-w-0 flex-1 flex-col px-3 py-2" data-test="answer-pane">
    <p
      class="flex justify-between gap-3 px-2 py-0.75"
      :class="isBaseline ? 'bg-slate-wash text-slate' : 'bg-kelp-wash text-kelp'"
    >
      <span class="truncate font-semibold">{{ arm.name }}</span>
      <span class="shrink-0 text-sm">{{ passing }}</span>
    </p>
    <div class="min-h-0 flex-1 overflow-auto px-2 pt-2">
      <p v-if="pending" class="text-ink-3">Looking…</p>
      <p v-else-if="!reading" class="text-ink-3">Not answered yet.</p>
      <template v-else-if="reading.error">
        <p class="text-straw"><span class="font-semibold">No answer:</span> {{ reading.error }}</p>
        <p class="caption mt-1">
          {{ count(reading.attempts, "attempt") }} ·
          <button v-if="arm.is_chain" type="button" class="link" data-test="reading-walk" @click="$emit('walk', reading)">its walk</button>
          <button v-else type="button" class="link" data-test="show-reading-request" @click="$emit('exact', reading)">exact request</button>
        </p>
      </template>
      <template v-else>
        <ToolUses v-if="reading.tool_uses.length" :uses="reading.tool_uses" />
        <AnswerText
          :text="reading.answer ?? ''"
          :findings="reading.findings"
          :differs="differs"
          :value="value"
          :beside="value === undefined ? undefined : beside"
          :side="isBaseline ? 'baseline' : 'other'"
          :passages="reading.found.at(-1)?.passages.length ?? 0"
          data-test="reader-answer"
          @cite="(number, sentence) => (cited = { number, sentence })"
        />
        <p v-if="!reading.answer" class="text-straw">The answer is empty.</p>
        <p class="mt-2 text-xs text-ink-2 tabular-nums">
          <b v-if="reading.finish_reason !== 'stop'" class="font-medium text-straw"
            >{{ STOPS[reading.finish_reason ?? ""] ?? reading.finish_reason }} ·</b
          >
          <template v-if="reading.ended && reading.ended !== 'done'"><b class="font-medium text-straw">the talk ended: {{ reading.ended }}</b> · </template>
          <template v-if="reading.calls > 1">{{ count(reading.calls, "call") }} · </template>
          <span :title="reading.estimated ? 'The server did not tell the tokens, so these are estimates.' : undefined"
            >{{ reading.estimated ? "about " : "" }}{{ reading.input_tokens }} + {{ reading.output_tokens }} tokens</span
          >
          · {{ duration(reading.total_ms) }} · {{ cents(reading.cents) }} ·
          <button type="button" class="link" data-test="show-reading-request" @click="$emit('exact', reading)">exact request</button> ·
          <button v-if="arm.is_chain" type="button" class="link" title="Step by step" data-test="reading-walk" @click="$emit('walk', reading)">its walk</button>
          <button v-else type="button" class="link" title="Add it to the draft's examples" data-test="reading-as-example" @click="$emit('example', reading)">as example</button>
        </p>
        <FoundPassages v-if="reading.found.length" v-model:open="found" class="mt-2" :found="reading.found" :answer="reading.answer ?? ''" :turns="reading.talk.length > 0" :cited="cited" />
        <div class="mt-2 border-t border-rule-soft pt-2 text-sm"><FindingList :findings="reading.findings" /></div>
      </template>
    </div>
  </article>
</template>
