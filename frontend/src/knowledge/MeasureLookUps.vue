<script setup lang="ts">
/** The questions that are kept, asked with one setting or two: how much is found, how high up, what is never reached. */
import { computed, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import { useKnowledgeChanges, useLookUpCases } from "@/api/knowledge";
import type { CollectionPage, LookingUp, LookUpCaseShape, MeasuredPage } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";
import LookUpSettings from "./LookUpSettings.vue";

const props = defineProps<{ collection: CollectionPage; version: number | null; looking: LookingUp }>();
const emit = defineEmits<{ again: [each: LookUpCaseShape]; show: [reference: string] }>();
const changes = useKnowledgeChanges(() => props.collection.name);
const cases = useLookUpCases(computed(() => props.collection.name));
const all = computed(() => cases.data.value?.cases ?? []);
const settings = ref<LookingUp[]>([{ ...props.looking }]);
const measured = ref<MeasuredPage | null>(null);
const wrong = ref("");
const busy = ref(false);

const TITLES: Record<string, string> = { recall: "Found", "reciprocal rank": "How high up", nDCG: "Order (nDCG)" };
const HELP: Record<string, string> = {
  recall: "Recall: of the passages that are right, the share that is found",
  "reciprocal rank": "Mean reciprocal rank: one over the place of the first that is right",
  nDCG: "Normalised discounted cumulative gain: how near to the best order",
};
const MARKS: Record<string, string> = { better: "▲", worse: "▼", same: "▬", unsettled: "○" };

async function measure(): Promise<void> {
  if (!props.collection.version) return;
  busy.value = true;
  wrong.value = "";
  try {
    const version = props.version ?? undefined;
    measured.value = await changes.measure(settings.value.map((each) => ({ ...each, version })), props.collection.used_by.slice(0, 10));
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
watch([() => JSON.stringify(settings.value), all, () => props.collection.version], () => void measure(), { immediate: true });
function another(): void {
  const first = settings.value[0]!;
  settings.value = [first, { ...first, ...(props.collection.embeds_with && first.method !== "both" ? { method: "both" as const } : { most: (first.most ?? 5) * 2 }) }];
}
async function putAway(each: LookUpCaseShape): Promise<void> {
  try {
    await changes.putCaseAway(each.id, true);
    say("The question is put away.", () => void changes.putCaseAway(each.id, false));
  } catch (error) {
    complain(messageOf(error));
  }
}
const share = (value: number) => `${(100 * value).toFixed(0)}%`;
const lines = computed(() => {
  const told = new Map((measured.value?.questions ?? []).map((each) => [each.id, each]));
  return all.value.map((each) => ({ each, told: told.get(each.id) ?? null }));
});
</script>

<template>
  <div class="flex flex-col gap-2 border-b border-rule-soft px-gut py-3">
    <div v-for="(_, at) in settings" :key="at" class="flex items-start gap-2">
      <b class="w-3 pt-1 font-mono font-medium">{{ "AB"[at] }}</b>
      <LookUpSettings v-model="settings[at]!" class="flex-1" :can-mean="!!collection.embeds_with" />
      <button v-if="at" type="button" class="link pt-1 text-sm" @click="settings = settings.slice(0, 1)">drop</button>
    </div>
    <button v-if="settings.length === 1" type="button" class="link self-start text-sm" data-test="compare-settings" @click="another">Compare with another setting</button>
    <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
  </div>
  <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="What is measured" :aria-busy="busy">
    <p v-if="!all.length" class="p-gut text-ink-2">No question is kept yet. Ask one, and mark the passages that are right: it becomes a look-up case. A dozen tell settings apart that differ much.</p>
    <table v-if="all.length && measured" class="w-full" data-test="measures">
      <thead>
        <tr class="caption border-b border-rule-soft text-left"><th class="px-gut py-1 font-normal">{{ count(cases.data.value?.kept ?? 0, "question") }}</th><th v-for="(_, at) in settings" :key="at" class="py-1 pr-gut font-normal">{{ settings.length > 1 ? "AB"[at] : "" }}</th><th v-if="settings.length > 1" class="py-1 pr-gut font-normal">B against A</th></tr>
      </thead>
      <tbody>
        <tr v-for="row in measured.rows" :key="row.name" class="border-b border-rule-soft" :title="HELP[row.name]" data-test="measure">
          <th class="px-gut py-1 text-left font-normal">{{ TITLES[row.name] }}</th>
          <td v-for="(each, at) in row.settings" :key="at" class="py-1 pr-gut font-mono text-sm tabular-nums">
            <template v-if="each.mean">{{ each.mean.value.toFixed(2) }}<span class="block text-xs whitespace-nowrap text-ink-2">{{ each.mean.low.toFixed(2) }} to {{ each.mean.high.toFixed(2) }}</span></template>
            <template v-else>–</template>
          </td>
          <td v-if="settings.length > 1" class="py-1 pr-gut font-mono text-sm tabular-nums">
            <template v-if="row.settings[1]?.difference?.value != null">{{ MARKS[row.settings[1].difference.word] }} {{ row.settings[1].difference.value >= 0 ? "+" : "−" }}{{ Math.abs(row.settings[1].difference.value).toFixed(2) }}<span class="block font-sans text-xs text-ink-2">{{ row.settings[1].difference.word }}</span></template>
          </td>
        </tr>
      </tbody>
    </table>
    <ol v-if="all.length" aria-label="Questions">
      <li v-for="{ each, told } in lines" :key="each.id" class="border-b border-rule-soft px-gut py-1.5" data-test="look-up-case">
        <p class="flex items-baseline gap-2">
          <button type="button" class="min-w-0 flex-1 truncate text-left font-serif text-base hover:underline" :title="each.question" @click="emit('again', each)">{{ each.question }}</button>
          <span v-if="told" class="font-mono text-sm tabular-nums" :class="told.ranks.includes(null) && each.wanted.length ? 'text-rust' : 'text-ink-2'">{{ each.wanted.length ? told.ranks.map((rank) => rank ?? "not found").join(" · ") : "nothing is right" }}</span>
          <button type="button" class="link text-xs" :aria-label="`Put “${each.question}” away`" @click="putAway(each)">away</button>
        </p>
        <p v-if="told?.lost.length" class="text-sm text-straw">{{ told.lost.join(", ") }} {{ told.lost.length === 1 ? "is" : "are" }} in the collection no more.</p>
      </li>
    </ol>
    <section v-if="measured && measured.asked" class="px-gut py-3" aria-label="What is never reached">
      <h3 class="caption border-b border-rule-soft pb-1">Of {{ count(measured.asked, "question") }}, with those of {{ collection.used_by.length ? `the cases of ${collection.used_by.join(", ")}` : "no prompt" }}</h3>
      <p class="py-1">{{ share(1 - measured.unreached_count / Math.max(measured.passages, 1)) }} of {{ count(measured.passages, "passage") }} are reached<template v-if="measured.unreached_count">; never: <template v-for="(reference, at) in measured.unreached.slice(0, 24)" :key="reference"><template v-if="at">, </template><button type="button" class="link font-mono text-sm" @click="emit('show', reference)">{{ reference }}</button></template><template v-if="measured.unreached_count > 24"> and {{ measured.unreached_count - 24 }} more</template></template>.</p>
      <p v-if="measured.unanswered.length" class="py-1" data-test="unanswered">{{ count(measured.unanswered.length, "question") }} find nothing at all: <span class="font-serif">{{ measured.unanswered.slice(0, 6).map((each) => `“${each}”`).join(", ") }}</span>.</p>
    </section>
  </div>
</template>
