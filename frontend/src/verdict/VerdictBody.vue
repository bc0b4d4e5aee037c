<script setup lang="ts">
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import type { Ticks, TrialPage, VerdictPage } from "@/api/schema";
import { useCaseChanges } from "@/api/cases";
import { messageOf } from "@/api/client";
import { useStandIns } from "@/api/models";
import { useModelVerdicts } from "@/api/trials";
import { useVersions } from "@/api/subjects";
import { complain, say } from "@/frame/notices";
import { useKeys } from "@/frame/keys";
import { cents, count, duration } from "@/marks/format";
import TickMatrix from "@/trial/TickMatrix.vue";
import AnswerReader from "./AnswerReader.vue";
import { agreementInWords, boundsInWords, differences, rateInWords, rates, reachOf, steadyInWords } from "./evidence";
import EvidenceRows from "./EvidenceRows.vue";
import HoldoutLine from "./HoldoutLine.vue";
import { useLook } from "./look";
import { FATES, useCaseOrder } from "./useCaseOrder";
import RestsOn from "./RestsOn.vue";
import ScoreRows from "./ScoreRows.vue";
import { doubtsOfJudges, untoldInWords } from "./scores";
import TagDialog from "./TagDialog.vue";
import TextsDialog from "./TextsDialog.vue";
import WalksOfTrial from "./WalksOfTrial.vue";
import VerdictSentence from "./VerdictSentence.vue";

const props = defineProps<{ name: string; page: TrialPage; verdict: VerdictPage; ticks: Ticks[]; over: boolean }>();
const route = useRoute();
const router = useRouter();

const number = (key: string) => (/^\d+$/.test(String(route.query[key] ?? "")) ? Number(route.query[key]) : null);
/** The arm that the others are held against: the first, unless one chose to read it otherwise. */
const baseline = computed(() => props.verdict.baseline);
const others = computed(() => props.page.arms.filter((each) => each.position !== baseline.value));
const arm = computed(() => {
  const asked = number("arm");
  if (others.value.some((each) => each.position === asked)) return asked;
  return props.page.arms.length < 2 ? null : (props.verdict.lead ?? others.value[0]!.position);
});
function holdAgainst(position: number): void {
  go({ against: position === 0 ? null : position, arm: position === arm.value ? baseline.value : arm.value });
}
const measure = computed(() => {
  const asked = number("measure");
  return asked !== null && asked < props.verdict.measures.length ? asked : null;
});
const repeat = computed({
  get: () => Math.min(Math.max((number("repeat") ?? 1) - 1, 0), props.page.repeats - 1),
  set: (at: number) => go({ repeat: at + 1 }),
});
const look = useLook();
const { matrix, numbers, inSight, order, fates, only, showOnly, failing } = useCaseOrder(props, arm, baseline, measure, look);
const cases = useCaseChanges(() => props.name);
async function keepFailures(): Promise<void> {
  const set = `${measureTitle.value} fails, T${props.page.id} ${props.verdict.names[arm.value ?? 0]}`.slice(0, 80);
  try {
    await cases.putSet(set, "", failing.value);
    say(`${count(failing.value.length, "case")} kept as the set “${set}”.`, () => void cases.removeSet(set));
  } catch (error) {
    complain(messageOf(error));
  }
}
const byTag = ref(false);
const texts = ref(false);
const standIns = useStandIns(() => props.page.arms.flatMap((each) => each.models));
const caseAt = computed(() => {
  const asked = number("case");
  const found = number("at") ?? (asked === null ? -1 : numbers.value.indexOf(asked));
  return found >= 0 && found < props.page.asked ? found : (order.value[0] ?? 0);
});

function go(edit: Record<string, number | null>): void {
  const query: Record<string, string> = {};
  for (const [key, value] of Object.entries({ ...route.query, ...edit })) {
    if (value !== null && value !== undefined) query[key] = String(value);
  }
  void router.replace({ query });
}
function choose(at: number, chosen: number | null): void {
  const place = at < props.page.cases ? { case: numbers.value[at] ?? null, at: null } : { case: null, at };
  go({ ...place, ...(chosen !== null && chosen !== baseline.value ? { arm: chosen } : {}) });
}
const chooseMeasure = (index: number) => go({ measure: index === measure.value ? null : index });
const moveCase = (by: number) => {
  const to = order.value[Math.min(Math.max(order.value.indexOf(caseAt.value) + by, 0), order.value.length - 1)];
  if (to !== undefined) choose(to, null);
};
const moveArm = (by: number) => {
  const at = others.value.findIndex((each) => each.position === arm.value);
  const to = others.value[Math.min(Math.max(at + by, 0), others.value.length - 1)];
  if (arm.value !== null && to) go({ arm: to.position });
};

const rows = computed(() => (arm.value === null ? rates(props.verdict, 0) : differences(props.verdict, arm.value)));
const reach = computed(() => reachOf(rows.value));
const sentence = computed(() => (arm.value === null ? [] : (props.verdict.sentences[arm.value] ?? [])));
const notes = computed(() =>
  props.page.arms.map((each) => {
    const rate = measure.value === null ? null : props.verdict.rates[each.position]?.[measure.value];
    if (rate) return `${(rate.value * 100).toFixed(1)}% pass`;
    return each.position === baseline.value ? "baseline" : effort(each.position);
  }),
);
function effort(at: number): string {
  const found = props.verdict.efforts[at];
  if (!found || found.cents == null || found.median_ms == null) return "";
  return `${cents(found.cents)} · ${duration(found.median_ms)}`;
}
const measureTitle = computed(() => (measure.value === null ? "all checks together" : props.verdict.measures[measure.value]?.title));
const mainRow = computed(() => rows.value.find((row) => row.main) ?? null);
/** Of the chosen check, else the main question, else the first that is open: what would settle it. */
const settles = computed(() => {
  if (arm.value === null) return "";
  const about = measure.value ?? (mainRow.value?.word === "unsettled" ? mainRow.value.measure : rows.value.find((row) => row.word === "unsettled")?.measure);
  return props.verdict.comparisons.find((each) => each.arm === arm.value && each.measure === about)?.settles ?? "";
});
const compared = computed(() => props.verdict.comparisons.filter((each) => each.p_adjusted !== null).length);
const lost = computed(() => props.verdict.efforts.reduce((sum, each) => sum + each.unanswered, 0));
const leftOut = computed(() => props.verdict.missing === "left_out");
function setMissing(out: boolean): void {
  const query = { ...route.query };
  delete query.missing;
  void router.replace({ query: out ? { ...query, missing: "left_out" } : query });
}
const versions = useVersions(computed(() => props.name));
/** A version that came after this trial: what one wants to compare next. */
const newer = computed(() => {
  const newest = versions.data.value?.[0]?.number ?? 0;
  return newest > Math.max(...props.page.arms.map((each) => each.version)) ? newest : null;
});
const soFar = computed(() => props.verdict.recorded < props.verdict.total);
/** What it comes to on each model, where two versions were asked of several: but for the one that the sentence tells. */
const perModel = useModelVerdicts(computed(() => props.page.id), computed(() => props.verdict.missing), look, () => props.page.arms.length > 2 && !soFar.value);
const onModels = computed(() => (baseline.value === 0 ? (perModel.data.value?.models ?? []).filter((each) => each.arm !== arm.value) : []));
const doubts = computed(() => doubtsOfJudges(props.verdict));
const untold = computed(() => untoldInWords(props.verdict));
const steady = computed(() => steadyInWords(props.page, props.verdict));

useKeys([
  {
    keys: { j: () => moveCase(1), k: () => moveCase(-1), arrowdown: () => moveCase(1), arrowup: () => moveCase(-1) },
    shown: ["J", "K"],
    label: "case",
  },
  { keys: { h: () => moveArm(-1), l: () => moveArm(1) }, shown: ["H", "L"], label: "arm" },
  { keys: { v: () => (texts.value = arm.value !== null) }, shown: ["V"], label: "texts" },
  { keys: { t: () => (byTag.value = arm.value !== null) }, shown: ["T"], label: "by tag" },
  { keys: { r: () => (repeat.value = (repeat.value + 1) % props.page.repeats) }, shown: ["R"], label: "repeat" },
  {
    keys: { m: () => go({ measure: measure.value === null ? 0 : measure.value + 1 < props.verdict.measures.length ? measure.value + 1 : null }) },
    shown: ["M"],
    label: "check",
  },
]);
</script>

<template>
  <div class="flex items-start justify-between gap-6">
    <div class="min-w-0">
      <VerdictSentence v-if="sentence.length" :segments="sentence" :measure="measure" @choose="chooseMeasure" />
      <p v-else class="font-serif text-say" data-test="verdict-sentence">
        {{ verdict.names[0] }} was asked alone, so nothing is better or worse. These are its pass rates.
      </p>
      <ul v-if="onModels.length" class="mt-1 max-w-240" data-test="on-models">
        <li v-for="each in onModels" :key="each.arm" class="flex items-baseline gap-2 text-sm">
          <button type="button" class="link w-23 shrink-0 truncate text-left" :title="`Read ${verdict.names[each.arm]} against ${verdict.names[each.baseline]}`" @click="go({ against: each.baseline || null, arm: each.arm })">
            {{ each.model }}
          </button>
          <VerdictSentence :segments="each.sentence" :measure="measure" small @choose="chooseMeasure" />
        </li>
      </ul>
      <p v-if="steady" class="mt-1 text-sm text-ink-2" data-test="steady">{{ steady }}</p>
      <RestsOn :name="name" :page="page" :over="over" />
      <HoldoutLine v-if="page.held_out.length" :page="page" :look="look" :over="over" />
      <p v-if="soFar" class="mt-1 text-sm text-straw" data-test="so-far">
        So far: {{ verdict.recorded.toLocaleString("en") }} of {{ count(verdict.total, "reading") }}.
        {{ over ? "The trial was stopped." : "It is still running." }}
        <span v-if="verdict.early" data-test="early">
          Words are rarer until all is in: whoever looks again and again would soon see one by chance, so each needs p &lt; 0.001.
        </span>
      </p>
      <p v-if="lost" class="mt-1 text-sm text-straw" data-test="missing">
        Answers that never came ({{ lost }}) {{ leftOut ? "are left out" : "count as failed" }}.
        <button type="button" class="link" data-test="set-missing" @click="setMissing(!leftOut)">
          {{ leftOut ? "Count them as failed" : "Leave them out" }}
        </button>
        <span v-if="leftOut"> An arm that loses its bad answers looks better than it is.</span>
      </p>
    </div>
    <div class="flex shrink-0 flex-col gap-1.5">
      <RouterLink
        v-if="newer"
        class="button button-main justify-center"
        data-test="compare-newest"
        :to="{ name: 'trial', params: { name, id: undefined }, query: { plan: 'newest' } }"
        >Compare v{{ newer }} with v{{ newer - 1 }}</RouterLink
      >
      <RouterLink class="button justify-center" :class="newer ? '' : 'button-main'" :to="{ name: 'trial', params: { name, id: undefined }, query: { plan: page.id } }"
        >Plan another like this</RouterLink
      >
      <RouterLink class="button justify-center" :to="{ name: 'trial', params: { name, id: page.id } }">Trial T{{ page.id }}</RouterLink>
    </div>
  </div>

  <div class="grid min-h-0 flex-[15] grid-cols-[minmax(0,1fr)_minmax(0,1.08fr)] gap-3">
    <section class="panel flex min-h-0 min-w-0 flex-col">
      <header class="flex flex-wrap items-center gap-x-2 gap-y-1 px-gut py-2">
        <template v-if="arm !== null">
          <span class="font-semibold">Evidence for</span>
          <select
            class="field h-slim max-w-38 bg-kelp-wash px-1 font-medium text-kelp"
            :value="arm"
            aria-label="Arm"
            data-test="verdict-arm"
            @change="go({ arm: Number(($event.target as HTMLSelectElement).value) })"
          >
            <option v-for="each in others" :key="each.position" :value="each.position">{{ each.name }}</option>
          </select>
          <span class="font-semibold">against</span>
          <select
            class="field h-slim max-w-38 bg-slate-wash px-1 font-medium text-slate"
            :value="baseline"
            aria-label="Against"
            title="Reading is free: any arm can be the one that the others are held against"
            data-test="verdict-against"
            @change="holdAgainst(Number(($event.target as HTMLSelectElement).value))"
          >
            <option v-for="each in page.arms" :key="each.position" :value="each.position">{{ each.name }}</option>
          </select>
        </template>
        <span v-if="arm !== null" class="ml-auto flex gap-3 text-sm">
          <button type="button" class="link" data-test="open-texts" @click="texts = true">texts</button>
          <button type="button" class="link" data-test="open-by-tag" @click="byTag = true">by tag</button>
        </span>
        <span v-else class="font-semibold">Pass rates of {{ verdict.names[0] }}</span>
      </header>
      <div class="min-h-0 flex-1 overflow-auto">
        <EvidenceRows
          :rows="rows"
          :chosen="measure"
          :low="arm === null ? 0 : -reach"
          :high="arm === null ? 100 : reach"
          :middle="arm === null ? null : 0"
          @choose="chooseMeasure"
        />
        <ScoreRows :verdict="verdict" :arm="arm" :chosen="measure" @choose="chooseMeasure" />
        <ul v-if="doubts.length" class="px-gut pt-1" data-test="judge-doubts">
          <li v-for="doubt in doubts" :key="doubt.measure" class="text-sm text-straw">{{ doubt.text }}</li>
        </ul>
        <p v-if="untold" class="px-gut pt-1 text-sm text-straw" data-test="untold">{{ untold }}</p>
        <p v-if="settles" class="px-gut pt-1 text-sm text-ink-2" data-test="settles">{{ settles }}</p>
        <table v-if="arm !== null" class="mt-2 w-full text-sm">
          <tbody>
            <tr
              v-for="{ position: each } in page.arms"
              :key="each"
              class="cursor-pointer border-t border-rule-soft hover:bg-paper"
              @click="each !== baseline && go({ arm: each })"
            >
              <td class="py-0.75 pl-gut font-medium whitespace-nowrap" :class="each === baseline ? 'text-slate' : each === arm ? 'text-kelp' : ''">
                {{ verdict.names[each] }}
              </td>
              <td class="py-0.75 pl-3 font-mono text-xs text-ink-2">
                {{ verdict.measures[measure ?? mainRow?.measure ?? 0]?.title }} {{ rateInWords(verdict, each, measure ?? mainRow?.measure ?? 0) }}<span
                  v-if="agreementInWords(verdict, each, measure ?? mainRow?.measure ?? 0)"
                  title="Of all pairs of repeats of a case, so many came out alike"
                  >; {{ agreementInWords(verdict, each, measure ?? mainRow?.measure ?? 0) }}</span
                >
                <span v-if="boundsInWords(verdict, each, measure ?? mainRow?.measure ?? 0)" class="block text-straw">{{
                  boundsInWords(verdict, each, measure ?? mainRow?.measure ?? 0)
                }}</span>
              </td>
              <td class="py-0.75 pr-gut pl-3 text-right font-mono text-xs whitespace-nowrap text-ink-2">{{ effort(each) }}</td>
            </tr>
          </tbody>
        </table>
        <WalksOfTrial v-if="page.arms.some((each) => each.is_chain)" :trial="page.id" :names="verdict.names" />
      </div>
      <p class="caption border-t border-rule-soft px-gut py-line">
        {{ verdict.early && arm !== null ? "99.9" : "95" }}% intervals, paired by case: {{ count(inSight, "case") }} ×
        {{ count(page.repeats, "repeat") }}<template v-if="arm !== null && compared > 1">; words corrected for {{ compared }} comparisons<template v-if="mainRow">, the main question (bold) tested first</template></template>.
        {{ arm === null ? "" : "Shaded: differences that do not matter." }} {{ standIns }}
      </p>
    </section>
    <AnswerReader v-model:repeat="repeat" :page="page" :case-at="caseAt" :arm="arm" :baseline="baseline" @original="choose($event, null)" />
  </div>

  <section class="panel flex min-h-42.5 flex-[8] flex-col">
    <TickMatrix
      :page="page"
      :matrix="matrix"
      :order="order"
      :notes="notes"
      :chosen-case="caseAt"
      :chosen-arm="arm"
      :baseline="baseline"
      @choose="choose"
    >
      <template #corner>
        <template v-if="arm === null">{{ count(order.length, "case") }}, most failed first, on </template>
        <span v-else class="mr-1 inline-flex gap-2">
          <template v-for="(told, which) in FATES" :key="which">
            <button
              v-if="fates[which]"
              type="button"
              class="link"
              :class="only === which ? 'font-semibold text-ink' : ''"
              :aria-pressed="only === which"
              :title="only === which ? 'Show all cases' : 'Show only these'"
              :data-test="`show-${which}`"
              @click="showOnly(which)"
            >
              {{ fates[which] }} {{ told }}
            </button>
          </template>
          on
        </span>
        <span class="font-medium text-ink">{{ measureTitle }}</span>
        <button v-if="failing.length" type="button" class="link ml-2" title="As a set of cases, to look through and to ask again" data-test="keep-failures" @click="keepFailures">keep the {{ failing.length }} that fail{{ arm === null ? "" : ` in ${verdict.names[arm]}` }}</button>
      </template>
    </TickMatrix>
  </section>
  <TextsDialog v-if="arm !== null" :open="texts" :name="name" :arm="page.arms[arm]!" :baseline="page.arms[baseline]!" @close="texts = false" />
  <TagDialog
    :open="byTag"
    :trial="page.id"
    :arm="arm"
    :baseline="baseline"
    :measure="measure"
    :names="verdict.names"
    :of="measureTitle ?? ''"
    @close="byTag = false"
  />
</template>
