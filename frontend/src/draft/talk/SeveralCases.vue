<script setup lang="ts">
/** Several cases that the draft is tried on at once: their answers and ticks in a list, now and before the last edit. */
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import { fetchNumbers } from "@/api/cases";
import { messageOf } from "@/api/client";
import { complain } from "@/frame/notices";
import { cents, count } from "@/marks/format";
import MarkedText from "@/marks/MarkedText.vue";
import { differing } from "@/marks/differing";
import TickStrip, { type Mark } from "@/marks/TickStrip.vue";
import type { Prompt } from "@/api/schema";
import type { Setup } from "./columns";
import { MOST_AT_ONCE, type Outcome, type Row, useSeveral } from "./useSeveral";

const props = defineProps<{ name: string; prompt: Prompt; edits: number; setup: Setup | undefined; blocked: string }>();
const emit = defineEmits<{ close: []; one: [number: number] }>();
const route = useRoute();
const router = useRouter();
const several = useSeveral(props.name, { prompt: () => props.prompt, edits: () => props.edits, setup: () => props.setup });
const { rows, spent, busy } = several;
const typed = ref("");
const AT_FIRST = 8;

/** Numbers with commas, or words and terms as in the list of cases: the first that are found. */
async function choose(): Promise<void> {
  const text = typed.value.trim();
  try {
    const numbers = /^[\d\s,]+$/.test(text) && text ? text.split(/[\s,]+/).filter(Boolean).map(Number) : (await fetchNumbers(props.name, text)).numbers.slice(0, AT_FIRST);
    if (!numbers.length) complain(`No case is found by “${text}”.`);
    else several.choose(numbers);
  } catch (error) {
    complain(messageOf(error));
  }
}
const asked = String(route.query.cases ?? "");
if (/^\d+(,\d+)*$/.test(asked)) {
  several.choose(asked.split(",").map(Number));
  void router.replace({ query: { ...route.query, cases: undefined } });
} else if (!rows.value.length) void choose();

const markOf = (outcome: Outcome | null, row: Row): Mark[] => (outcome ? [outcome.passed ? "passed" : "failed"] : row.error ? ["unanswered"] : ["waiting"]);
/** Where the draft was changed since, an answer is one of before. */
const isOld = (row: Row) => row.now !== null && row.now.edits !== props.edits;
const shown = computed(() =>
  rows.value.map((row) => {
    const before = isOld(row) ? row.now : row.before;
    const now = isOld(row) ? null : row.now;
    const spans = before && now && before.text !== now.text ? differing(before.text, now.text)[1] : [];
    return { row, before, now, spans, flip: before && now && before.passed !== now.passed ? (now.passed ? "▲" : "▼") : "" };
  }),
);
const tally = (which: "before" | "now") => {
  const there = shown.value.filter((each) => each[which]);
  return there.length ? `${there.filter((each) => each[which]!.passed).length} of ${there.length}` : "–";
};
const ask = () => (busy.value ? several.stopAll() : !props.blocked && void several.askAll());
defineExpose({ ask });
</script>

<template>
  <section class="panel flex min-h-0 flex-1 flex-col" data-test="several">
    <header class="flex items-center gap-3 border-b border-rule px-gut py-2">
      <form class="flex min-w-0 flex-1 items-center gap-2" @submit.prevent="choose">
        <input v-model="typed" class="field min-w-0 flex-1" :placeholder="`Cases: numbers, or words and terms (tag:hard fails:v2); the first ${AT_FIRST} found`" aria-label="Which cases" data-test="several-find" />
        <button type="submit" class="button">Choose</button>
      </form>
      <button type="button" class="link text-sm whitespace-nowrap" data-test="just-one" @click="emit('close')">just one case</button>
    </header>
    <div class="grid grid-cols-[44px_minmax(0,1.1fr)_58px_58px_minmax(0,2fr)] gap-x-3 border-b border-rule px-gut py-1 text-xs font-medium text-ink-2">
      <span></span><span>{{ count(rows.length, "case") }}<template v-if="rows.length >= MOST_AT_ONCE"> at most</template></span><span title="Before the last edit of the draft">before {{ tally("before") }}</span><span>now {{ tally("now") }}</span><span>answer of {{ setup?.model }}</span>
    </div>
    <ol class="min-h-0 flex-1 overflow-auto">
      <li v-for="{ row, before, now, spans, flip } in shown" :key="row.number" class="grid grid-cols-[44px_minmax(0,1.1fr)_58px_58px_minmax(0,2fr)] items-baseline gap-x-3 border-b border-rule-soft px-gut py-1.5" data-test="several-row">
        <button type="button" class="link justify-self-start font-mono text-sm" title="Try it by itself" @click="emit('one', row.number)">{{ row.number }}</button>
        <span class="line-clamp-2">{{ row.page?.title ?? "…" }}</span>
        <span :class="now ? 'opacity-60' : ''"><TickStrip v-if="before" :marks="markOf(before, row)" /></span>
        <span class="flex items-center gap-1"><TickStrip v-if="now || row.error" :marks="markOf(now, row)" /><span class="text-xs" :class="flip === '▼' ? 'text-rust' : 'text-kelp'" data-test="several-flip">{{ flip }}</span></span>
        <span class="min-w-0">
          <span v-if="row.busy" class="text-ink-3" role="status">Waiting for {{ setup?.model }}…</span>
          <span v-else-if="row.error" class="text-straw">{{ row.error }}</span>
          <template v-else-if="now">
            <MarkedText class="line-clamp-3 font-serif" :text="now.text || '(empty)'" :findings="[]" :differs="spans" :title="before ? `Before: ${before.text}` : undefined" />
            <span v-if="now.failed.length" class="block truncate text-sm text-rust" :title="now.failed.join('\n')">{{ now.failed.join("; ") }}</span>
          </template>
          <span v-else-if="before" class="line-clamp-2 font-serif text-ink-3" :title="before.text">{{ before.text }}</span>
        </span>
      </li>
    </ol>
    <footer class="flex items-center gap-3 border-t border-rule px-gut py-2">
      <button type="button" class="button button-main" :disabled="!!blocked || !rows.length" :title="blocked" data-test="answer-several" @click="ask">{{ busy ? "Stop" : `Answer ${count(rows.length, "case")}` }}</button>
      <span v-if="blocked" class="truncate text-sm text-rust" :title="blocked">{{ blocked }}</span>
      <span class="flex-1"></span>
      <span v-if="spent.calls" class="caption">{{ count(spent.calls, "call") }}, {{ cents(spent.cents) }}</span>
    </footer>
  </section>
</template>
