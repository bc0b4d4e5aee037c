<script setup lang="ts">
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, ref, useTemplateRef, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import ColumnRow from "@/parts/ColumnRow.vue";
import { labelsOf } from "@/draft/reply/labels";
import { useCase, useCaseChanges, useCaseList } from "@/api/cases";
import { messageOf } from "@/api/client";
import { fetchDraft, useSubject } from "@/api/subjects";
import { useTrial } from "@/api/trials";
import type { CaseEntry, CasePage } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";
import TickStrip, { type Mark } from "@/marks/TickStrip.vue";
import { useRested } from "@/parts/useRested";
import { matrixOf, numbersOf } from "@/trial/matrix";
import { useTrialEvents } from "@/trial/useTrialEvents";
import CaseSheet from "./CaseSheet.vue";
import PasteCases from "./PasteCases.vue";
import { blankCase } from "./editing";

const COLUMNS = "42px 1fr 84px 128px 92px";
const route = useRoute();
const router = useRouter();
const name = computed(() => String(route.params.name));
const subject = useSubject(name);
const typed = ref("");
const find = useRested(() => typed.value.trim());
const { lines, found, kept, pending, error, retry, want, placeOf, numberAt } = useCaseList(name, find);
const changes = useCaseChanges(() => name.value);
const adding = ref(false);
const pasting = ref(false);

const number = computed(() => (route.params.number ? Number(route.params.number) : null));
const open = useCase(name, number);

/** The latest strips, of the newest version that the latest trial asked. */
const latest = computed(() => subject.data.value?.latest_trial ?? null);
const trial = useTrial(latest);
const { ticks } = useTrialEvents(computed(() => trial.data.value));
const strips = computed(() => {
  const page = trial.data.value;
  if (!page) return new Map<number, Mark[]>();
  const newest = Math.max(...page.arms.map((arm) => arm.version));
  const arm = page.arms.find((each) => each.version === newest) ?? page.arms[0];
  const matrix = matrixOf(page, ticks.value, null);
  return new Map(numbersOf(page).map((number, position) => [number, matrix.at(arm?.position ?? 0, position)]));
});
const stripsOf = computed(() => {
  const page = trial.data.value;
  if (!page) return "";
  const newest = Math.max(...page.arms.map((arm) => arm.version));
  return `T${page.id}, ${page.arms.find((arm) => arm.version === newest)?.name ?? ""}`;
});

const scroller = useTemplateRef<HTMLElement>("scroller");
const rows = useVirtualizer(
  computed(() => ({ count: found.value, getScrollElement: () => scroller.value, estimateSize: () => 34, overscan: 12 })),
);
watch(() => rows.value.getVirtualItems().map((row) => row.index), want, { immediate: true });
watch(lines, () => want(rows.value.getVirtualItems().map((row) => row.index)));

function show(which: number): void {
  adding.value = false;
  void router.push({ name: "cases", params: { name: name.value, number: which } });
}
/** The case `by` places further on in the list. */
async function move(by: number): Promise<void> {
  if (found.value === 0) return;
  try {
    const at = number.value === null ? null : await placeOf(number.value);
    const to = at === null ? 0 : Math.min(Math.max(at + by, 0), found.value - 1);
    const next = await numberAt(to);
    if (next !== null) show(next);
    rows.value.scrollToIndex(to);
  } catch (error) {
    complain(messageOf(error));
  }
}
watch(
  () => lines.value.get(0),
  (first) => {
    if (number.value === null && first && !adding.value && !find.value) {
      void router.replace({ name: "cases", params: { name: name.value, number: first.number } });
    }
  },
  { immediate: true },
);
// A case that an address leads to is brought into sight.
watch(pending, async (still) => {
  if (still || number.value === null) return;
  const place = await placeOf(number.value).catch(() => null);
  if (place) rows.value.scrollToIndex(place, { align: "center" });
});

const labels = ref<string[]>([]);
const inputNames = ref<string[]>(["message"]);
void fetchDraft(name.value).then((draft) => {
  labels.value = labelsOf(draft.content.reply);
  if (draft.inputs.length) inputNames.value = draft.inputs;
}, () => undefined);

async function setAway(page: CasePage, away: boolean): Promise<void> {
  try {
    const after = await changes.setAway(page.number, page.revision, away);
    if (!away) return;
    say(`Case ${page.number} is put away.`, () => void setAway(after, false));
    await router.replace({ name: "cases", params: { name: name.value, number: undefined } });
  } catch (error) {
    complain(messageOf(error));
  }
}

async function saved(page: CasePage): Promise<void> {
  adding.value = false;
  if (page.number !== number.value) await router.push({ name: "cases", params: { name: name.value, number: page.number } });
}
const blank = computed(() => blankCase(inputNames.value));
const at = (index: number): CaseEntry | undefined => lines.value.get(index);

useKeys([
  {
    keys: { j: () => void move(1), k: () => void move(-1), arrowdown: () => void move(1), arrowup: () => void move(-1) },
    shown: ["J", "K"],
    label: "case",
  },
  { keys: { a: () => (adding.value = true) }, shown: ["A"], label: "add a case" },
  { keys: { p: () => (pasting.value = true) }, shown: ["P"], label: "paste a list" },
]);
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-edge py-3">
    <section class="panel flex min-w-0 flex-[3] flex-col">
      <header class="flex items-center gap-3 border-b border-rule px-gut py-head">
        <span class="font-semibold whitespace-nowrap">{{ typed && !pending ? `${found.toLocaleString("en")} of ${count(kept, "case")}` : count(kept, "case") }}</span>
        <input
          v-model="typed"
          class="field min-w-0 flex-1"
          type="search"
          placeholder="Narrow by words, label, tag or number"
          aria-label="Narrow the list"
        />
        <button type="button" class="button" data-test="paste-cases" @click="pasting = true">Paste a list</button>
        <button type="button" class="button" data-test="add-case" @click="adding = true">Add a case</button>
      </header>
      <ColumnRow head :columns="COLUMNS">
        <span>No.</span><span>Case</span><span>Expects</span><span>Tags</span>
        <span class="truncate" :title="stripsOf">{{ stripsOf || "Latest trial" }}</span>
      </ColumnRow>
      <div ref="scroller" class="min-h-0 flex-1 overflow-auto" tabindex="-1">
        <div v-if="pending" class="flex flex-col gap-2 p-gut" aria-label="Loading">
          <div v-for="n in 8" :key="n" class="h-6 bg-paper"></div>
        </div>
        <div v-else-if="error && lines.size === 0" class="p-6">
          <p class="text-rust" role="alert">{{ messageOf(error) }}</p>
          <button type="button" class="button mt-2" @click="retry()">Try again</button>
        </div>
        <div v-else-if="kept === 0" class="p-6">
          <p class="font-serif text-say">No cases yet.</p>
          <p class="mt-2 max-w-130">
            A case is one recorded input, with what you expect of the answer. Keep them while you try: press
            <kbd class="key">K</kbd> on the Draft screen. Or add one here. Six are the fewest that can settle anything.
          </p>
        </div>
        <p v-else-if="found === 0" class="p-6 text-ink-2">No case has “{{ find }}” in its text, label or tags.</p>
        <div v-else :style="{ height: `${rows.getTotalSize()}px`, position: 'relative' }">
          <template v-for="row in rows.getVirtualItems()" :key="row.index">
            <ColumnRow
              v-if="at(row.index)"
              is="button"
              class="absolute inset-x-0 h-row"
              :columns="COLUMNS"
              :chosen="at(row.index)!.number === number && !adding"
              :style="{ transform: `translateY(${row.start}px)` }"
              data-test="case-row"
              @click="show(at(row.index)!.number)"
            >
              <span class="font-mono text-sm text-ink-2">{{ at(row.index)!.number }}</span>
              <span class="truncate" :class="{ 'text-ink-2 italic': at(row.index)!.title === '(empty)' }">{{ at(row.index)!.title }}</span>
              <span class="truncate font-mono text-sm">{{ at(row.index)!.label ?? "–" }}</span>
              <span class="truncate text-sm text-ink-2">{{ at(row.index)!.tags.join(", ") }}</span>
              <TickStrip :marks="strips.get(at(row.index)!.number) ?? []" />
            </ColumnRow>
            <div v-else class="absolute inset-x-0 h-row border-b border-rule-soft p-2.25" :style="{ transform: `translateY(${row.start}px)` }">
              <div class="h-4 bg-paper"></div>
            </div>
          </template>
        </div>
      </div>
    </section>
    <section class="panel flex min-w-0 flex-[2] flex-col">
      <CaseSheet
        v-if="adding || (!pending && kept === 0 && number === null)"
        :key="`new ${inputNames.join(' ')} ${adding}`"
        :typing="adding"
        :name="name"
        :page="blank"
        :labels="labels"
        @saved="saved"
        @cancel="adding = false"
      />
      <CaseSheet
        v-else-if="open.data.value && open.data.value.number === number && !open.data.value.deleted"
        :key="open.data.value.number"
        :name="name"
        :page="open.data.value"
        :labels="labels"
        @saved="saved"
        @away="setAway(open.data.value, true)"
      />
      <div v-else-if="number !== null && open.isPending.value" class="m-4 h-24 bg-paper" aria-label="Loading"></div>
      <p v-else-if="number !== null" class="p-6 text-ink-2">There is no case {{ number }} here; it may have been put away.</p>
      <p v-else class="p-6 text-ink-2">{{ kept ? "Choose a case to read it." : "" }}</p>
    </section>
  </main>
  <PasteCases :open="pasting" :name="name" :inputs="inputNames" :labels="labels" @close="pasting = false" />
</template>
