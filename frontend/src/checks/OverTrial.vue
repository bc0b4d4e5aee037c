<script setup lang="ts">
/** What one check would have said of a past trial's answers: rates then and now, and the answers that change. */
import { computed, ref, watch } from "vue";

import { rejudge } from "@/api/checks";
import { messageOf } from "@/api/client";
import type { CheckUse, RejudgedPage } from "@/api/schema";
import { useTrials } from "@/api/trials";
import { count } from "@/marks/format";
import MarkedText from "@/marks/MarkedText.vue";
import JudgeAnew from "./JudgeAnew.vue";

/** `checks` are all of the prompt; a judge is not asked for a look, only when its findings are kept. */
const props = defineProps<{ name: string; use: CheckUse; checks: CheckUse[]; asks: boolean }>();
const trials = useTrials(computed(() => props.name), ref(""));
const list = computed(() => trials.data.value?.pages.flatMap((page) => page.trials).filter((trial) => trial.recorded > 0) ?? []);
const picked = ref<number | null>(null);
const chosen = computed(() => picked.value ?? list.value[0]?.id ?? null);
const found = ref<RejudgedPage | null>(null);
const wrong = ref("");
const busy = ref(false);
/** What was found holds for these options only. */
const asked = computed(() => JSON.stringify([chosen.value, props.use]));
watch(asked, () => ((found.value = null), (wrong.value = "")));

async function look(): Promise<void> {
  if (chosen.value === null || busy.value) return;
  busy.value = true;
  const mine = asked.value;
  try {
    const page = await rejudge(chosen.value, props.use);
    if (mine === asked.value) found.value = page;
  } catch (error) {
    if (mine === asked.value) wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
const rate = (passed: number, of: number) => (of ? `${((100 * passed) / of).toFixed(1)}%` : "–");
</script>

<template>
  <section v-if="list.length" class="border-b border-rule-soft px-4 py-2" data-test="over-trial">
    <div class="flex items-center gap-2">
      <span>Over</span>
      <select class="field h-slim min-w-0 flex-1 px-1" :value="chosen" aria-label="Past trial" data-test="over-which" @change="picked = Number(($event.target as HTMLSelectElement).value)">
        <option v-for="trial in list" :key="trial.id" :value="trial.id">T{{ trial.id }}: {{ trial.compared }}</option>
      </select>
      <button v-if="!asks" type="button" class="button h-slim" :disabled="busy" data-test="would-have-said" @click="look">{{ busy ? "Judging…" : "What would it have said?" }}</button>
    </div>
    <p v-if="chosen !== null" class="mt-1 text-sm">
      <JudgeAnew :name="name" :trial="chosen" :checks="checks">Judge T{{ chosen }} anew by all {{ count(checks.length, "check") }}, and read the verdict</JudgeAnew>
    </p>
    <p v-if="wrong" class="mt-1 text-sm text-rust" role="alert">{{ wrong }}</p>
    <template v-if="found">
      <p class="mt-2" data-test="rejudged">
        {{ found.seen < found.answers ? `Of the first ${found.seen.toLocaleString("en")} of ${count(found.answers, "answer")}` : `Of ${count(found.answers, "answer")}` }},
        <b class="font-semibold">{{ found.changes.toLocaleString("en") }}</b>
        {{ found.had ? "are judged otherwise than in the trial" : "fail it; the trial did not have it" }}. Nothing was asked of a model.
      </p>
      <table class="mt-1 text-sm">
        <thead class="caption text-left"><tr><th class="pr-6 font-normal">arm</th><th class="pr-6 font-normal">passes</th><th v-if="found.had" class="font-normal">passed then</th></tr></thead>
        <tbody>
          <tr v-for="arm in found.arms" :key="arm.name">
            <td class="pr-6">{{ arm.name }}</td>
            <td class="pr-6 font-mono">{{ rate(arm.passed, arm.judged) }} of {{ arm.judged }}</td>
            <td v-if="found.had" class="font-mono">{{ rate(arm.passed_then ?? 0, arm.judged) }}</td>
          </tr>
        </tbody>
      </table>
      <ol class="mt-1 max-h-60 overflow-auto">
        <li v-for="each in found.changed" :key="each.reading" class="border-t border-rule-soft py-1.25">
          <span class="caption">case {{ each.case }}, {{ found.arms[each.arm]?.name }}, repeat {{ each.repeat + 1 }} · </span>
          <span class="text-sm" :class="each.passes ? 'text-ink-2' : 'text-rust'">{{ each.message }}</span>
          <span class="block font-serif text-base">
            <MarkedText :text="each.text" :findings="[{ measure: 0, title: '', passed: each.passes, required: true, message: each.message, spans: each.spans, score: null, unit: '', pointers: [], sources: [] }]" />
          </span>
        </li>
      </ol>
    </template>
  </section>
</template>
