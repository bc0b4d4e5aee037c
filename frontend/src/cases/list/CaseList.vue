<script setup lang="ts">
/** The cases, narrowed, sorted by any column, with strips of up to three arms; several can be chosen. */
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";

import { BY_NUMBER, type Column, type Order, useArms, useCaseList, useStrips } from "@/api/cases";
import { messageOf } from "@/api/client";
import type { CaseEntry } from "@/api/schema";
import { useSubject } from "@/api/subjects";
import { useKeys } from "@/frame/keys";
import { complain } from "@/frame/notices";
import { count } from "@/marks/format";
import TickStrip from "@/marks/TickStrip.vue";
import ColumnRow from "@/parts/ColumnRow.vue";
import { useRested } from "@/parts/useRested";
import ChosenBar from "./ChosenBar.vue";
import FindCases from "./FindCases.vue";
import SetsDialog from "./SetsDialog.vue";
import StripArms from "./StripArms.vue";
import { flipOf, marksOf } from "./strips";
import { useChosen } from "./useChosen";

const props = defineProps<{ name: string; number: number | null; busy: boolean }>();
const emit = defineEmits<{ show: [number: number]; first: [number: number]; add: []; bring: []; review: [] }>();

const name = computed(() => props.name);
const typed = ref("");
const find = useRested(() => typed.value.trim());
const order = ref<Order>(BY_NUMBER);
const { lines, found, kept, pending, error, retry, want, placeOf, numberAt } = useCaseList(name, find, order);
const subject = useSubject(name);
const arms = useArms(name);
const { chosen, toggle, upTo, clear } = useChosen((place) => lines.value.get(place)?.number);
const isAway = computed(() => /(^|\s)is:away\b/i.test(find.value));

/** Arms whose strips are shown: until others are picked, the first two of the newest trial. */
const picked = ref<string[] | null>(null);
const usual = computed(() => {
  const all = arms.data.value?.arms ?? [];
  return all.filter((arm) => arm.trial === all[0]?.trial).slice(0, 2).map((arm) => `${arm.trial}.${arm.arm}`);
});
const shownArms = computed({ get: () => picked.value ?? usual.value, set: (keys) => (picked.value = keys) });
const armOf = (key: string) => arms.data.value?.arms.find((arm) => `${arm.trial}.${arm.arm}` === key);

const columns = computed(() => {
  const strips = shownArms.value.map(() => "minmax(56px,84px)").join(" ");
  return `16px 38px minmax(120px,1fr) 84px minmax(56px,96px) ${strips}${shownArms.value.length > 1 ? " 10px" : ""}`;
});
const HEADS: { column: Column; told: string }[] = [
  { column: "number", told: "No." },
  { column: "case", told: "Case" },
  { column: "label", told: "Expects" },
  { column: "tags", told: "Tags" },
];
function sortBy(sort: Column, of = ""): void {
  const same = order.value.sort === sort && order.value.of === of;
  order.value = { sort, of, down: same ? !order.value.down : false };
}
const arrow = (sort: Column, of = "") => (order.value.sort === sort && order.value.of === of ? (order.value.down ? " ↓" : " ↑") : "");

const scroller = useTemplateRef<HTMLElement>("scroller");
const rows = useVirtualizer(
  computed(() => ({ count: found.value, getScrollElement: () => scroller.value, estimateSize: () => 34, overscan: 12 })),
);
const seen = computed(() => rows.value.getVirtualItems().map((row) => row.index));
watch(seen, want, { immediate: true });
watch(lines, () => want(seen.value));
const at = (index: number): CaseEntry | undefined => lines.value.get(index);

/** Strips are asked for in blocks of rows, so that scrolling by one asks for nothing new. */
const BLOCK = 50;
const inSight = computed(() => {
  const [first, last] = [seen.value[0] ?? 0, seen.value.at(-1) ?? 0];
  const from = first - (first % BLOCK);
  const numbers = [];
  for (let place = from; place < Math.min(last + BLOCK - (last % BLOCK), from + 3 * BLOCK); place += 1) {
    const number = at(place)?.number;
    if (number !== undefined) numbers.push(number);
  }
  return numbers;
});
const strips = useStrips(name, inSight, shownArms, () => shownArms.value.some((key) => armOf(key)?.over === false));
const lettersOf = computed(() => {
  const told = strips.data.value;
  return new Map(told?.numbers.map((number, place) => [number, told.strips.map((strip) => strip.letters[place] ?? "")]) ?? []);
});
const FLIPS = { gained: "▲", lost: "▼" } as const;
function flip(number: number): "gained" | "lost" | null {
  const letters = lettersOf.value.get(number);
  return letters && letters.length > 1 ? flipOf(letters[0]!, letters.at(-1)!) : null;
}

function press(event: MouseEvent, place: number): void {
  const number = at(place)?.number;
  if (number === undefined) return;
  if (event.shiftKey) upTo(place);
  else if (event.ctrlKey || event.metaKey) toggle(place);
  else emit("show", number);
}
/** The case `by` places further on in the list. */
async function move(by: number): Promise<void> {
  if (found.value === 0) return;
  try {
    const here = props.number === null ? null : await placeOf(props.number);
    const to = here === null ? 0 : Math.min(Math.max(here + by, 0), found.value - 1);
    const next = await numberAt(to);
    if (next !== null) emit("show", next);
    rows.value.scrollToIndex(to);
  } catch (error) {
    complain(messageOf(error));
  }
}
async function toggleHere(): Promise<void> {
  const here = props.number === null ? null : await placeOf(props.number).catch(() => null);
  if (here !== null) toggle(here);
}
watch(
  () => lines.value.get(0),
  (first) => {
    if (props.number === null && first && !props.busy && !find.value) emit("first", first.number);
  },
  { immediate: true },
);
// A case that an address leads to is brought into sight.
watch(pending, async (still) => {
  if (still || props.number === null) return;
  const place = await placeOf(props.number).catch(() => null);
  await nextTick();
  if (place) rows.value.scrollToIndex(place, { align: "center" });
});
watch(find, clear);

const file = (as: "jsonl" | "csv") => `/api/v1/subjects/${encodeURIComponent(props.name)}/cases/file?${new URLSearchParams({ as, find: find.value }).toString()}`;
const sets = ref(false);
const finder = useTemplateRef<{ focus: () => void }>("finder");
defineExpose({ kept, pending, narrow: (text: string) => (typed.value = text) });

useKeys([
  {
    keys: { j: () => void move(1), k: () => void move(-1), arrowdown: () => void move(1), arrowup: () => void move(-1) },
    shown: ["J", "K"],
    label: "case",
  },
  { keys: { x: () => void toggleHere() }, shown: ["X"], label: "choose it" },
  { keys: { f: () => finder.value?.focus() }, shown: ["F"], label: "narrow" },
]);
</script>

<template>
  <section class="panel flex min-w-0 flex-[3] flex-col">
    <header class="flex items-center gap-2 border-b border-rule px-gut py-head">
      <span class="font-semibold whitespace-nowrap" data-test="case-count">{{ find && !pending ? `${found.toLocaleString("en")} of ${count(kept, "case")}` : count(kept, "case") }}</span>
      <FindCases ref="finder" v-model="typed" :name="name" :versions="subject.data.value?.versions ?? 0" />
      <button type="button" class="button" data-test="bring-in" @click="emit('bring')">Bring in</button>
      <button type="button" class="button" data-test="add-case" @click="emit('add')">Add a case</button>
    </header>
    <ChosenBar v-if="chosen.size" v-model="chosen" :name="name" :find="find" :found="found" :away="isAway" />
    <ColumnRow head :columns="columns">
      <span></span>
      <button v-for="{ column, told } in HEADS" :key="column" type="button" class="truncate text-left" :aria-label="`Sort by ${told}`" :data-test="`sort-${column}`" @click="sortBy(column)">{{ told }}{{ arrow(column) }}</button>
      <button v-for="key in shownArms" :key="key" type="button" class="truncate text-left" :title="`T${armOf(key)?.trial}, ${armOf(key)?.name}: sort by it`" :data-test="`sort-${key}`" @click="sortBy('result', key)">{{ armOf(key)?.name }}{{ arrow("result", key) }}</button>
      <span v-if="shownArms.length > 1"></span>
    </ColumnRow>
    <div ref="scroller" class="min-h-0 flex-1 overflow-auto" tabindex="-1">
      <div v-if="pending" class="flex flex-col gap-2 p-gut" role="status" aria-label="Loading">
        <div v-for="n in 8" :key="n" class="h-6 bg-paper"></div>
      </div>
      <div v-else-if="error && lines.size === 0" class="p-6">
        <p class="text-rust" role="alert">{{ messageOf(error) }}</p>
        <button type="button" class="button mt-2" @click="retry()">Try again</button>
      </div>
      <div v-else-if="kept === 0 && !find" class="p-6">
        <p class="font-serif text-say">No cases yet.</p>
        <p class="mt-2 max-w-130">
          A case is one recorded input, with what you expect of the answer. Keep them while you try: press
          <kbd class="key">K</kbd> on the Draft screen. Or add one here, or bring in a table or a file of records. Six are the
          fewest that can settle anything.
        </p>
      </div>
      <p v-else-if="found === 0" class="p-6 text-ink-2">No case is found by “{{ find }}”.</p>
      <div v-else :style="{ height: `${rows.getTotalSize()}px`, position: 'relative' }">
        <template v-for="row in rows.getVirtualItems()" :key="row.index">
          <ColumnRow
            v-if="at(row.index)"
            class="absolute inset-x-0 h-row"
            :columns="columns"
            :chosen="at(row.index)!.number === number && !busy"
            :style="{ transform: `translateY(${row.start}px)` }"
          >
            <input type="checkbox" class="accent-kelp" :checked="chosen.has(at(row.index)!.number)" :aria-label="`Choose case ${at(row.index)!.number}`" data-test="choose-case" @click.stop="($event as MouseEvent).shiftKey ? upTo(row.index) : toggle(row.index)" />
            <button type="button" class="col-[2/-1] grid h-full items-center gap-x-3 text-left" style="grid-template-columns: subgrid" data-test="case-row" @click="press($event, row.index)">
              <span class="font-mono text-sm text-ink-2">{{ at(row.index)!.number }}</span>
              <span class="truncate" :class="{ 'text-ink-2 italic': at(row.index)!.title === '(empty)' }"><span v-if="at(row.index)!.turns || at(row.index)!.by_rules" class="caption">{{ at(row.index)!.played ? "played talk" : at(row.index)!.by_rules ? "talk by rules" : `talk of ${at(row.index)!.turns + 1}` }} · </span>{{ at(row.index)!.title }}</span>
              <span v-if="at(row.index)!.label || !at(row.index)!.expects.length" class="truncate font-mono text-sm">{{ at(row.index)!.label ?? "–" }}</span>
              <span v-else class="truncate text-sm text-ink-2" :title="at(row.index)!.expects.join(', ')">{{ at(row.index)!.expects.join(", ") }}</span>
              <span class="truncate text-sm text-ink-2">{{ at(row.index)!.tags.join(", ") }}</span>
              <span v-for="(letters, place) in lettersOf.get(at(row.index)!.number) ?? shownArms.map(() => '')" :key="place" class="overflow-hidden"><TickStrip :marks="marksOf(letters)" /></span>
              <span v-if="shownArms.length > 1" class="text-xs" :class="flip(at(row.index)!.number) === 'lost' ? 'text-rust' : 'text-kelp'" :title="flip(at(row.index)!.number) ? `${flip(at(row.index)!.number)} from the first strip to the last` : undefined">{{ flip(at(row.index)!.number) ? FLIPS[flip(at(row.index)!.number)!] : "" }}</span>
            </button>
          </ColumnRow>
          <div v-else class="absolute inset-x-0 h-row border-b border-rule-soft p-2.25" :style="{ transform: `translateY(${row.start}px)` }">
            <div class="h-4 bg-paper"></div>
          </div>
        </template>
      </div>
    </div>
    <footer v-if="kept > 0 || isAway" class="flex items-center gap-3 border-t border-rule px-gut py-1">
      <span class="caption">{{ find ? "Those found" : "All" }} as a file: <a class="link" :href="file('jsonl')" download data-test="as-jsonl">JSON lines</a>, <a class="link" :href="file('csv')" download>CSV</a></span>
      <span class="flex-1"></span>
      <button type="button" class="link text-sm" data-test="case-sets" @click="sets = true">Sets</button>
      <button type="button" class="link text-sm" data-test="review-cases" @click="emit('review')">What is worth a look</button>
      <StripArms v-if="arms.data.value?.arms.length" v-model="shownArms" :arms="arms.data.value.arms" />
    </footer>
  </section>
  <SetsDialog :open="sets" :name="name" :find="find" :chosen="chosen" @close="sets = false" @narrow="typed = $event" />
</template>
