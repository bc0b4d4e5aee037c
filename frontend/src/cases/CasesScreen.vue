<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, ref, useTemplateRef, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, got, ifMatch, messageOf } from "@/api/client";
import { useCases, useSubject, useTrial } from "@/api/queries";
import type { CasePage } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";
import TickStrip, { type Mark } from "@/marks/TickStrip.vue";
import { matrixOf, numbersOf } from "@/trial/matrix";
import { useTicks } from "@/trial/useTicks";
import CaseSheet from "./CaseSheet.vue";

const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const name = computed(() => String(route.params.name));
const subject = useSubject(name);
const cases = useCases(name);
const filter = ref("");
const adding = ref(false);

const all = computed(() => cases.data.value?.cases ?? []);
const shown = computed(() => {
  const wanted = filter.value.trim().toLowerCase();
  if (!wanted) return all.value;
  return all.value.filter((each) =>
    [each.title, each.content.expect?.label ?? "", ...(each.content.tags ?? [])].some((text) =>
      text.toLowerCase().includes(wanted),
    ),
  );
});
const number = computed(() => (route.params.number ? Number(route.params.number) : null));
const open = computed(() => all.value.find((each) => each.number === number.value) ?? null);

/** The latest strips, of the newest version that the latest trial asked. */
const latest = computed(() => subject.data.value?.latest_trial ?? null);
const trial = useTrial(latest);
const { ticks } = useTicks(computed(() => trial.data.value));
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
  computed(() => ({ count: shown.value.length, getScrollElement: () => scroller.value, estimateSize: () => 34, overscan: 12 })),
);

function show(which: CasePage | undefined): void {
  adding.value = false;
  if (which) void router.push({ name: "cases", params: { name: name.value, number: which.number } });
}
function move(by: number): void {
  const at = shown.value.findIndex((each) => each.number === number.value);
  const to = at < 0 ? 0 : Math.min(Math.max(at + by, 0), shown.value.length - 1);
  show(shown.value[to]);
  rows.value.scrollToIndex(to);
}
watch(
  all,
  (list) => {
    if (number.value === null && list[0] && !adding.value) {
      void router.replace({ name: "cases", params: { name: name.value, number: list[0].number } });
    }
  },
  { immediate: true },
);

const labels = ref<string[]>([]);
const inputNames = ref<string[]>(["message"]);
void got(api.GET("/api/v1/subjects/{name}/draft", { params: { path: { name: name.value } } })).then((draft) => {
  labels.value = draft.content.reply?.kind === "text" ? [] : (draft.content.reply?.labels ?? []);
  if (draft.inputs.length) inputNames.value = draft.inputs;
}, () => undefined);

async function refresh(): Promise<void> {
  await queries.invalidateQueries({ queryKey: ["cases"] });
  await queries.invalidateQueries({ queryKey: ["subject", name.value] });
}

async function setDeleted(which: number, deleted: boolean, revision: number): Promise<void> {
  try {
    const params = { path: { name: name.value, number: which }, header: ifMatch(revision) };
    const kept = await got(api.PUT("/api/v1/subjects/{name}/cases/{number}/deletion", { params, body: { deleted } }));
    if (deleted) {
      say(`Case ${which} is put away.`, () => void setDeleted(which, false, kept.revision));
      await router.replace({ name: "cases", params: { name: name.value, number: undefined } });
    }
    await refresh();
  } catch (error) {
    complain(messageOf(error));
  }
}

async function saved(kept: CasePage): Promise<void> {
  await refresh();
  adding.value = false;
  await router.push({ name: "cases", params: { name: name.value, number: kept.number } });
}

const blank = computed<CasePage>(() => ({
  number: 0,
  title: "",
  revision: 0,
  content: { inputs: Object.fromEntries(inputNames.value.map((input) => [input, ""])), expect: {}, tags: [], origin: "typed" },
  updated_at: "",
  deleted: false,
}));

useKeys([
  {
    keys: { j: () => move(1), k: () => move(-1), arrowdown: () => move(1), arrowup: () => move(-1) },
    shown: ["J", "K"],
    label: "case",
  },
  { keys: { a: () => (adding.value = true) }, shown: ["A"], label: "add a case" },
]);
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-[18px] py-3">
    <section class="panel flex min-w-0 flex-[3] flex-col">
      <header class="flex items-center gap-3 border-b border-rule px-[14px] py-[10px]">
        <span class="font-semibold whitespace-nowrap">{{ count(all.length, "case") }}</span>
        <input
          v-model="filter"
          class="field min-w-0 flex-1"
          type="search"
          placeholder="Narrow by text, label or tag"
          aria-label="Narrow the list"
        />
        <button type="button" class="button" data-test="add-case" @click="adding = true">Add a case</button>
      </header>
      <div
        class="grid grid-cols-[30px_1fr_84px_128px_92px] gap-x-3 border-b border-rule px-[14px] py-[6px] text-xs font-medium text-ink-2"
      >
        <span>No.</span><span>Case</span><span>Expects</span><span>Tags</span>
        <span class="truncate" :title="stripsOf">{{ stripsOf || "Latest trial" }}</span>
      </div>
      <div ref="scroller" class="min-h-0 flex-1 overflow-auto" tabindex="-1">
        <div v-if="cases.isPending.value" class="flex flex-col gap-2 p-[14px]" aria-label="Loading">
          <div v-for="n in 8" :key="n" class="h-6 bg-paper"></div>
        </div>
        <div v-else-if="cases.error.value" class="p-6">
          <p class="text-rust" role="alert">{{ messageOf(cases.error.value) }}</p>
          <button type="button" class="button mt-2" @click="cases.refetch()">Try again</button>
        </div>
        <div v-else-if="all.length === 0" class="p-6">
          <p class="font-serif text-say">No cases yet.</p>
          <p class="mt-2 max-w-[520px]">
            A case is one recorded input, with what you expect of the answer. Keep them while you try: press
            <kbd class="key">K</kbd> on the Draft screen. Or add one here. Six are the fewest that can settle anything.
          </p>
        </div>
        <p v-else-if="shown.length === 0" class="p-6 text-ink-2">No case has “{{ filter }}” in its text, label or tags.</p>
        <div v-else :style="{ height: `${rows.getTotalSize()}px`, position: 'relative' }">
          <button
            v-for="row in rows.getVirtualItems()"
            :key="shown[row.index]!.number"
            type="button"
            class="absolute inset-x-0 grid h-[34px] grid-cols-[30px_1fr_84px_128px_92px] items-center gap-x-3 border-b border-rule-soft px-[14px] text-left hover:bg-paper"
            :class="shown[row.index]!.number === number && !adding ? 'bg-kelp-wash hover:bg-kelp-wash' : ''"
            :style="{ transform: `translateY(${row.start}px)` }"
            data-test="case-row"
            @click="show(shown[row.index])"
          >
            <span class="font-mono text-sm text-ink-3">{{ shown[row.index]!.number }}</span>
            <span class="truncate" :class="{ 'text-ink-3 italic': shown[row.index]!.title === '(empty)' }">{{ shown[row.index]!.title }}</span>
            <span class="truncate font-mono text-sm">{{ shown[row.index]!.content.expect?.label ?? "–" }}</span>
            <span class="truncate text-sm text-ink-2">{{ shown[row.index]!.content.tags?.join(", ") }}</span>
            <TickStrip :marks="strips.get(shown[row.index]!.number) ?? []" />
          </button>
        </div>
      </div>
    </section>
    <section class="panel flex min-w-0 flex-[2] flex-col">
      <CaseSheet
        v-if="adding || (cases.isSuccess.value && all.length === 0 && number === null)"
        :key="`new ${inputNames.join(' ')}`"
        :name="name"
        :page="blank"
        :labels="labels"
        @saved="saved"
        @cancel="adding = false"
      />
      <CaseSheet
        v-else-if="open"
        :key="open.number"
        :name="name"
        :page="open"
        :labels="labels"
        @saved="saved"
        @away="setDeleted(open.number, true, open.revision)"
      />
      <p v-else-if="number !== null && !cases.isPending.value" class="p-6 text-ink-2">
        There is no case {{ number }} here; it may have been put away.
      </p>
      <p v-else class="p-6 text-ink-3">{{ all.length ? "Choose a case to read it." : "" }}</p>
    </section>
  </main>
</template>
