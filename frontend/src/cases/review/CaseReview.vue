<script setup lang="ts">
/** What is worth a look in the cases: doubles to merge, labels that contradict, what tells nothing new, what is missing. */
import { computed, ref } from "vue";

import { useCaseChanges, useReview } from "@/api/cases";
import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import type { DoubleShape } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";

const props = defineProps<{ name: string }>();
const emit = defineEmits<{ close: []; narrow: [find: string]; show: [number: number] }>();
const review = useReview(computed(() => props.name));
const changes = useCaseChanges(() => props.name);
const page = computed(() => review.data.value);
const busy = ref(false);

const quoted = (word: string) => (/\s/.test(word) ? `"${word}"` : word);
const notes = computed(() => {
  const told: { text: string; find: string }[] = [];
  const { passes_all: all, passes_none: none, unlabelled } = page.value ?? { passes_all: 0, passes_none: 0, unlabelled: 0 };
  if (none) told.push({ text: `${count(none, "case")} passed with no version: wrong about what is right, or beyond the prompt?`, find: "never:all" });
  if (all) told.push({ text: `${count(all, "case")} passed every time with every version: ${all === 1 ? "it tells" : "they tell"} nothing new.`, find: "passes:all" });
  const disputed = page.value?.disputed ?? 0;
  if (disputed) told.push({ text: `People disagree about the label of ${count(disputed, "case")}: two labels that are right, or a rule that is not clear?`, find: "has:dispute" });
  if (unlabelled) told.push({ text: `${count(unlabelled, "case")} ${unlabelled === 1 ? "expects" : "expect"} no label, where others do.`, find: "-has:label" });
  return told;
});
const few = computed(() => [
  ...(page.value?.few_labels ?? []).map(({ word, cases }) => ({ word, cases, find: `label:${quoted(word)}` })),
  ...(page.value?.few_tags ?? []).map(({ word, cases }) => ({ word, cases, find: `tag:${quoted(word)}` })),
]);
const nothing = computed(() => page.value && !page.value.doubles_found && !notes.value.length && !few.value.length);

/** Done, and said with the way back. */
async function deal(done: string, work: () => Promise<() => Promise<unknown>>): Promise<void> {
  busy.value = true;
  try {
    const undo = await work();
    say(done, () => void undo().catch((error: unknown) => complain(messageOf(error))));
  } catch (error) {
    complain(messageOf(error));
  } finally {
    busy.value = false;
  }
}
/** One stays, with the tags of both; the other is put away. */
function merge({ one, other }: DoubleShape, stays: number): void {
  const goes = stays === one ? other : one;
  void deal(`Case ${stays} stays, case ${goes} is put away.`, () => changes.merge(stays, goes));
}
function keepBoth({ one, other }: DoubleShape): void {
  void deal(`Cases ${one} and ${other} are two, and are not pointed out again.`, async () => {
    await changes.setApart(one, other, true);
    return () => changes.setApart(one, other, false);
  });
}
const SIDES = ["one", "other"] as const;
</script>

<template>
  <header class="flex items-center gap-3 border-b border-rule px-4 py-head">
    <span class="min-w-0 flex-1">
      <span class="block font-semibold">What is worth a look</span>
      <span class="caption block truncate">{{ page ? `in ${count(page.cases, "case")}` : "\u00a0" }}</span>
    </span>
    <button type="button" class="button" @click="emit('close')">Close</button>
  </header>
  <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-4" data-test="review">
    <p v-if="faultOf(review)" class="text-rust" role="alert">{{ messageOf(faultOf(review)) }}</p>
    <p v-else-if="!page" class="text-ink-2">Looking them through…</p>
    <p v-if="nothing" class="font-serif text-read">Nothing stands out: no doubles, no contradictions, and enough of every label and tag.</p>
    <section v-if="notes.length" aria-label="How they fared">
      <h3 class="caption border-b border-rule-soft pb-1">How they fared</h3>
      <p v-for="note in notes" :key="note.find" class="border-b border-rule-soft py-1" data-test="review-note">
        {{ note.text }} <button type="button" class="link text-sm" @click="emit('narrow', note.find)">show</button>
      </p>
    </section>
    <section v-if="few.length" aria-label="Too few to tell anything">
      <h3 class="caption border-b border-rule-soft pb-1">Too few to tell anything: fewer than six cases</h3>
      <p class="flex flex-wrap gap-x-4 gap-y-1 py-1">
        <button v-for="each in few" :key="each.find" type="button" class="hover:underline" data-test="few" @click="emit('narrow', each.find)">
          <span class="font-mono text-sm">{{ each.word }}</span> <span :class="each.cases ? 'text-ink-2' : 'text-rust'">{{ each.cases || "none" }}</span>
        </button>
      </p>
    </section>
    <section v-if="page?.doubles.length" aria-label="Nearly the same">
      <h3 class="caption border-b border-rule-soft pb-1">
        Ask nearly the same: {{ count(page.doubles_found, "pair") }}<template v-if="page.contradictions">, <span class="text-rust">{{ page.contradictions }} with labels that contradict each other</span></template>
      </h3>
      <ol>
        <li v-for="double in page.doubles" :key="`${double.one} ${double.other}`" class="border-b border-rule-soft py-1.5" data-test="double">
          <p v-if="double.contradict" class="text-sm text-rust">Nothing can be right for both.</p>
          <div v-for="side in SIDES" :key="side" class="grid grid-cols-[38px_1fr_auto_auto] items-baseline gap-x-3">
            <button type="button" class="link justify-self-start font-mono text-sm" @click="emit('show', double[side])">{{ double[side] }}</button>
            <span class="truncate font-serif" :title="double[`${side}_title`]">{{ double[`${side}_title`] }}</span>
            <span class="font-mono text-sm" :class="double.contradict ? 'text-rust' : 'text-ink-2'">{{ double[`${side}_labels`].join(" or ") }}</span>
            <button type="button" class="link text-sm" :disabled="busy" :data-test="`stays-${side}`" @click="merge(double, double[side])">keep this one</button>
          </div>
          <p class="text-right"><button type="button" class="link text-sm" :disabled="busy" data-test="keep-both" @click="keepBoth(double)">keep both</button></p>
        </li>
        <li v-if="page.doubles_found > page.doubles.length" class="caption py-1">and {{ (page.doubles_found - page.doubles.length).toLocaleString("en") }} more pairs; they come up as these are dealt with</li>
      </ol>
    </section>
  </div>
</template>
