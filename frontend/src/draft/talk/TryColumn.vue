<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";

import AnswerText from "@/answer/AnswerText.vue";
import { jsonIn } from "@/answer/jsonIn";
import type { ModelLine, Prompt } from "@/api/schema";
import { differing } from "@/marks/differing";
import FindingList from "@/marks/FindingList.vue";
import { cents, count, duration, words } from "@/marks/format";
import MarkedText from "@/marks/MarkedText.vue";
import TickStrip from "@/marks/TickStrip.vue";
import FoundPassages from "@/answer/FoundPassages.vue";
import ColumnHead from "./ColumnHead.vue";
import { type Column, nameOf } from "./columns";
import PastExchange from "./PastExchange.vue";
import ToolUses from "@/answer/ToolUses.vue";
import AllowCall from "./AllowCall.vue";

defineProps<{ models: ModelLine[]; versions: number[]; prompt: Prompt; only: boolean; full: boolean; since: string[]; busy: boolean }>();
const column = defineModel<Column>({ required: true });
defineEmits<{ remove: []; duplicate: []; ask: []; show: []; example: []; edit: [turn: number, text: string] }>();

const STOPS: Record<string, string> = {
  stop: "finished",
  length: "cut off at the token limit",
  content_filter: "held back by the server",
  tool_calls: "still calling tools",
};
const answer = computed(() => column.value.answer);
const showsFound = ref(false);
const cited = ref<{ number: number; sentence: string } | null>(null);
watch(answer, () => (cited.value = null));
const coming = computed(() => column.value.coming);
const cutOff = computed(() => answer.value?.finish_reason === "length");
const reasoning = computed(() => answer.value?.reasoning ?? coming.value.reasoning);
const tools = computed(() => answer.value?.tool_uses ?? coming.value.tools);
/** While only reasoning has come, it is what there is to read. */
const thinking = computed(() => column.value.busy && coming.value.content === "" && reasoning.value !== "");
const SHOWN = 20_000;
/** Of an answer that is long, its end is what is being written. */
const tail = computed(() => (coming.value.content.length > SHOWN ? `… ${coming.value.content.slice(-SHOWN)}` : coming.value.content));
const talk = useTemplateRef<HTMLElement>("talk");
/** In a talk, what comes last is what is read. */
watch(
  () => [column.value.past.length, column.value.busy, coming.value.content.length, column.value.ended],
  async () => {
    if (column.value.past.length === 0) return;
    await nextTick();
    talk.value?.scrollTo({ top: talk.value.scrollHeight });
  },
);
/** What the same inputs were answered before the last change, while that tells something. */
const earlier = computed(() => (answer.value && !column.value.busy && !column.value.error && column.value.past.length === 0 && before.value === undefined ? column.value.earlier : null));
const earlierDiffers = computed(() => (earlier.value && answer.value ? differing(earlier.value.text, answer.value.answer)[0] : []));
const before = computed(() => column.value.before[column.value.past.length]);
</script>

<template>
  <section class="flex min-w-0 flex-1 flex-col border-r border-rule-soft px-gut py-2 last:border-r-0" data-test="column">
    <ColumnHead
      v-model="column"
      :models="models"
      :versions="versions"
      :prompt-settings="prompt.settings ?? {}"
      :only="only"
      :full="full"
      :tools-in-prompt="!!prompt.tools?.length"
      :images-in-prompt="!!prompt.inputs?.some((input) => input.kind === 'image')"
      @remove="$emit('remove')"
      @duplicate="$emit('duplicate')"
    />
    <p v-if="since.length && (answer || column.past.length) && !column.busy" class="mt-1 border-l-2 border-straw pl-2 text-sm text-straw" data-test="answers-older">
      Answers {{ nameOf(column.asked!) }}; {{ since.join(" and ") }} changed since. <button type="button" class="link" @click="$emit('ask')">Ask again</button>
    </p>
    <div ref="talk" class="min-h-0 overflow-auto py-3" :class="since.length && !column.busy ? 'opacity-60' : ''">
      <PastExchange
        v-for="(exchange, at) in column.past"
        :key="at"
        :said="exchange.said"
        :answer="exchange.answer.answer"
        :findings="exchange.answer.findings"
        :before="column.before[at]"
        :frozen="busy"
        @edit="$emit('edit', at, $event)"
      >
        <template v-if="exchange.answer.tool_uses?.length" #way><ToolUses :uses="exchange.answer.tool_uses" /></template>
        <AnswerText :text="exchange.answer.answer" :findings="exchange.answer.findings" :value="exchange.answer.value" :faults="exchange.answer.shape_faults" />
      </PastExchange>
      <details v-if="reasoning" class="mb-2" :open="thinking" data-test="reasoning">
        <summary class="caption cursor-pointer">
          Reasoning<template v-if="answer">, {{ count(answer.reasoning_tokens, "token") }}</template>
        </summary>
        <p class="mt-1 border-l-2 border-rule pl-2 text-sm whitespace-pre-wrap text-ink-2">{{ reasoning }}</p>
      </details>
      <PastExchange
        :said="column.said"
        :answer="answer?.answer ?? ''"
        :findings="answer?.findings ?? []"
        :before="before"
        :frozen="busy"
        current
        @edit="$emit('edit', column.past.length, $event)"
      >
        <template v-if="tools.length" #way><ToolUses :uses="tools" /></template>
        <AnswerText :text="answer?.answer ?? ''" :findings="answer?.findings" :value="answer?.value" :faults="answer?.shape_faults" :passages="answer?.request.found?.at(-1)?.passages.length ?? 0" data-test="answer" @cite="(number, sentence) => (cited = { number, sentence })" />
      </PastExchange>
      <div v-if="!answer && coming.content" class="font-serif text-read" data-test="coming"
        ><MarkedText :text="tail" :findings="[]" /><span v-if="column.busy" class="caret" aria-hidden="true"></span
      ></div>
      <AllowCall v-if="column.busy && coming.allow" :call="coming.allow" />
      <p v-else-if="column.busy" class="mt-1 text-ink-3" role="status">
        {{ coming.content ? "" : thinking ? `${column.model} is thinking…` : `Waiting for ${column.model}…` }}
        <button type="button" class="link" data-test="stop-answer" @click="column.stop?.abort()">stop</button>
      </p>
      <div v-else-if="column.error" role="alert" data-test="column-error">
        <p class="text-rust">{{ column.error }}</p>
        <button type="button" class="link mt-1" @click="$emit('ask')">Ask again</button>
      </div>
      <p v-else-if="column.stopped" class="mt-1 text-sm text-straw" data-test="stopped">
        Stopped here. <button type="button" class="link" @click="$emit('ask')">Ask again</button>
      </p>
      <template v-else-if="answer">
        <p v-if="answer.answer === ''" class="text-straw">The answer is empty.</p>
        <p v-if="cutOff" class="mt-1 text-sm font-medium text-straw">Cut off here: it reached the token limit.</p>
      </template>
      <p v-else class="text-ink-3">No answer yet.</p>
      <FoundPassages v-if="answer && !column.busy && !column.error && answer.request.found?.length" v-model:open="showsFound" class="mt-2" :found="answer.request.found" :answer="answer.answer" :cited="cited" />
      <p v-if="column.awaits" class="mt-1 text-ink-3" role="status">The person is about to write…</p>
      <p v-else-if="column.ended && !column.busy" class="mt-1 text-sm text-ink-2" data-test="column-ended">The talk ended: <b class="font-medium" :class="column.ended === 'done' ? 'text-kelp' : 'text-straw'">{{ column.ended }}</b></p>
    </div>
    <footer v-if="answer && !column.busy && !column.error" class="flex shrink-0 flex-col gap-2">
      <p class="text-xs text-ink-2 tabular-nums">
        {{ STOPS[answer.finish_reason] ?? answer.finish_reason }} · {{ count(words(answer.answer), "word") }} ·
        {{ answer.input_tokens }} + {{ answer.output_tokens }} tokens · {{ cents(answer.cents) }}
        <span class="block"
          ><template v-if="answer.first_ms !== null">first token after {{ duration(answer.first_ms) }}, </template>all after
          {{ duration(answer.total_ms) }}<template v-if="(answer.rounds ?? 1) > 1">, in {{ answer.rounds }} calls</template></span
        >
      </p>
      <div class="flex h-5 items-center gap-3">
        <TickStrip :marks="column.marks" />
        <span class="caption truncate">{{ count(column.marks.length, "answer") }} to just this</span>
        <span class="flex-1"></span>
        <button type="button" class="link text-xs whitespace-nowrap" title="Show it to the model from now on" data-test="as-example" @click="$emit('example')">as example</button>
        <button type="button" class="link text-xs whitespace-nowrap" data-test="show-request" @click="$emit('show')">exact request</button>
      </div>
      <div class="max-h-37 shrink-0 overflow-auto border-t border-rule-soft pt-2 text-sm">
        <FindingList :findings="answer.findings" :most="4" />
        <p v-for="why in answer.not_checked" :key="why" class="caption mt-1">{{ why }}</p>
      </div>
    </footer>
    <section v-if="earlier" class="mt-2 min-h-0 flex-1 overflow-auto border-t border-rule-soft pt-2" data-test="earlier">
      <p class="caption">
        Before the {{ earlier.changed.join(" and ") }} changed<template v-if="earlier.checks">: {{ earlier.passed }} of {{ count(earlier.checks, "check") }} passed</template>
      </p>
      <p v-if="earlier.text === answer?.answer" class="text-ink-2">The same answer, to the letter.</p>
      <AnswerText v-else class="opacity-80" :text="earlier.text" :differs="earlierDiffers" :value="jsonIn(earlier.text)" :beside="answer?.value ?? undefined" side="baseline" />
    </section>
  </section>
</template>
