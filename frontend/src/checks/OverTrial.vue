<script setup lang="ts">
/** What one check would have said of past trials' answers. One trial or several; each is looked at in turn. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/vue";
import { computed, ref, watch } from "vue";

import { rejudge } from "@/api/checks";
import { messageOf } from "@/api/client";
import type { CheckUse, RejudgedPage } from "@/api/schema";
import { useTrials } from "@/api/trials";
import { count } from "@/marks/format";
import JudgeAnew from "./JudgeAnew.vue";
import RejudgedTrial from "./RejudgedTrial.vue";

/** `checks` are all of the prompt; a judge is not asked for a look, only when its findings are kept. */
const props = defineProps<{ name: string; use: CheckUse; checks: CheckUse[]; asks: boolean }>();
const trials = useTrials(computed(() => props.name), ref(""));
const list = computed(() => trials.data.value?.pages.flatMap((page) => page.trials).filter((trial) => trial.recorded > 0) ?? []);
const picked = ref<number[] | null>(null);
/** Newest first; the newest alone until others are picked. */
const chosen = computed(() => (picked.value ?? list.value.slice(0, 1).map((trial) => trial.id)).slice().sort((a, b) => b - a));
const named = computed(() => {
  const [only] = chosen.value.length === 1 ? list.value.filter((trial) => trial.id === chosen.value[0]) : [];
  return only ? `T${only.id}: ${only.compared}` : chosen.value.map((id) => `T${id}`).join(", ") || "no trial";
});
const isOver = (id: number) => list.value.some((trial) => trial.id === id && !["waiting", "running"].includes(trial.status));

const found = ref<RejudgedPage[]>([]);
const wrong = ref("");
const busy = ref(0);
/** What was found holds for these options only. */
const asked = computed(() => JSON.stringify([chosen.value, props.use]));
watch(asked, () => ((found.value = []), (wrong.value = "")));

async function look(): Promise<void> {
  if (!chosen.value.length || busy.value) return;
  const mine = asked.value;
  const stillMine = () => mine === asked.value;
  [found.value, wrong.value] = [[], ""];
  try {
    for (const id of [...chosen.value]) {
      busy.value = id;
      const page = await rejudge(id, props.use);
      if (!stillMine()) return;
      found.value = [...found.value, page];
    }
  } catch (error) {
    if (stillMine()) wrong.value = messageOf(error);
  } finally {
    busy.value = 0;
  }
}
const changes = computed(() => found.value.reduce((sum, page) => sum + page.changes, 0));
const answers = computed(() => found.value.reduce((sum, page) => sum + page.seen, 0));
</script>

<template>
  <section v-if="list.length" class="border-b border-rule-soft px-4 py-2" data-test="over-trial">
    <div class="flex items-center gap-2">
      <span>Over</span>
      <Listbox :model-value="chosen" as="div" multiple class="relative min-w-0 flex-1" @update:model-value="(ids: number[]) => (picked = ids)">
        <ListboxButton class="field h-slim w-full truncate text-left" aria-label="Past trials" data-test="over-which">{{ named }} ▾</ListboxButton>
        <ListboxOptions class="absolute inset-x-0 top-full z-20 mt-1 max-h-82.5 overflow-auto border border-ink-3 bg-sheet py-1 outline-none">
          <ListboxOption v-for="trial in list" :key="trial.id" v-slot="{ active }" :value="trial.id" as="template">
            <li class="flex cursor-pointer gap-2 px-3 py-1.25" :class="active ? 'bg-kelp-wash' : ''" :data-test="`over-${trial.id}`">
              <span class="w-4" aria-hidden="true">{{ chosen.includes(trial.id) ? "✓" : "" }}</span>
              <span class="w-10 font-mono">T{{ trial.id }}</span>
              <span class="min-w-0 flex-1 truncate">{{ trial.compared }}</span>
              <span class="caption">{{ count(trial.recorded, "reading") }}</span>
            </li>
          </ListboxOption>
          <li v-if="trials.hasNextPage.value" class="px-3 py-1.25"><button type="button" class="link" @click="trials.fetchNextPage()">Older trials</button></li>
        </ListboxOptions>
      </Listbox>
      <button v-if="!asks" type="button" class="button h-slim" :disabled="!!busy || !chosen.length" data-test="would-have-said" @click="look">
        {{ busy ? `Judging T${busy}…` : "What would it have said?" }}
      </button>
    </div>
    <template v-if="asks || !found.length">
      <p v-for="id in chosen.filter(isOver)" :key="id" class="mt-1 text-sm">
        <JudgeAnew :name="name" :trial="id" :checks="checks">Judge T{{ id }} anew by all {{ count(checks.length, "check") }}, and read the verdict</JudgeAnew>
      </p>
    </template>
    <p v-if="wrong" class="mt-1 text-sm text-rust" role="alert">{{ wrong }}</p>
    <p v-if="found.length > 1" class="mt-2" data-test="rejudged-all">
      In all, {{ changes.toLocaleString("en") }} of {{ count(answers, "answer") }} {{ found.every((page) => page.had) ? "are judged otherwise" : "are judged otherwise or fail it" }}.
    </p>
    <RejudgedTrial v-for="page in found" :key="page.trial" :found="page">
      <p v-if="isOver(page.trial)" class="mt-1 text-sm">
        <JudgeAnew :name="name" :trial="page.trial" :checks="checks">Judge T{{ page.trial }} anew by all {{ count(checks.length, "check") }}, and read the verdict</JudgeAnew>
      </p>
    </RejudgedTrial>
    <p v-if="found.length" class="caption mt-1">Nothing was asked of a model, and nothing of this is kept.</p>
  </section>
</template>
