<script setup lang="ts">
/** A trial that runs or has run: its facts at the left, its ticks as they land at the right. */
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { useTrialChanges } from "@/api/trials";
import { messageOf } from "@/api/client";
import type { TrialPage } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { cents, count, when } from "@/marks/format";
import { useTimestamp } from "@vueuse/core";
import { asked, matrixOf, numbersOf, settingsInShort, varied } from "./matrix";
import { heldOut } from "@/verdict/look";
import TickMatrix from "./TickMatrix.vue";
import { useStandIns } from "@/api/models";
import { useTrialEvents } from "./useTrialEvents";

const props = defineProps<{ name: string; page: TrialPage }>();
const router = useRouter();
const changes = useTrialChanges();
const events = useTrialEvents(computed(() => props.page));
const { ticks, over, rate, secondsLeft, lost } = events;
const line = computed(() => events.line.value ?? props.page);
const matrix = computed(() => matrixOf(props.page, ticks.value, null));
/** Cases held out are asked, and not shown. */
const out = computed(() => heldOut(props.page));
const order = computed(() => Array.from({ length: props.page.asked }, (_, position) => position).filter((at) => !out.value.has(at)));
const numbers = computed(() => numbersOf(props.page));
const notes = computed(() =>
  props.page.arms.map((arm) =>
    [arm.position === 0 ? "baseline" : "", settingsInShort(varied(props.page, arm.settings))].filter(Boolean).join(" · "),
  ),
);
const question = computed(() => {
  const main = props.page.question;
  if (!main) return "";
  const title = props.page.measures.find((measure) => measure.key === main.measure)?.title ?? main.measure;
  return `Does ${props.page.arms[main.arm]?.name ?? "it"} differ from ${props.page.arms[0]?.name} in “${title}”?`;
});
const at = ref(0);
const asking = ref(false);
const standIns = useStandIns(() => props.page.arms.flatMap((each) => each.models));

const share = computed(() => line.value.recorded / Math.max(line.value.total, 1));
const facts = computed(() => {
  const told = [];
  if (line.value.status === "waiting") told.push("waiting for the runner");
  else if (!over.value && line.value.recorded === 0) told.push("the first calls are on their way");
  if (rate.value !== null) told.push(`${Math.round(rate.value).toLocaleString("en")} a second`);
  if (secondsLeft.value !== null && !line.value.paused.length && Number.isFinite(secondsLeft.value)) told.push(`${spell(secondsLeft.value)} left`);
  if (line.value.cents) {
    const about = line.value.estimated ? "about " : "";
    told.push(`${about}${cents(line.value.cents)}${over.value ? "" : " so far"}`);
  }
  if (line.value.status === "stopped" || line.value.status === "failed") told.push(line.value.status);
  if (line.value.status === "finished" && line.value.finished_at) told.push(`finished ${when(line.value.finished_at)}`);
  return told.join(" · ");
});
const firstUnanswered = computed(() => {
  for (const some of ticks.value) {
    const at = some.marks.indexOf("");
    if (at >= 0) return { arm: some.arm[at]!, caseAt: some.case_at[at]! };
  }
  return null;
});
/** Arms whose model is not asked for a while, with how long that is still so. */
const now = useTimestamp({ interval: 1_000 });
const paused = computed(() =>
  line.value.paused.map((each) => {
    const seconds = Math.ceil((Date.parse(each.until) - now.value) / 1000);
    return { ...each, name: props.page.arms[each.arm]?.name ?? "", again: seconds > 0 ? `in ${spell(seconds)}` : "now" };
  }),
);

function spell(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${(seconds / 3600).toFixed(1)} h`;
}

function read(caseAt: number, arm: number | null): void {
  const query: Record<string, string> = { case: String(numbers.value[caseAt] ?? "") };
  if (arm !== null && arm > 0) query.arm = String(arm);
  void router.push({ name: "verdict", params: { name: props.name, id: props.page.id }, query });
}

/** Said aloud at every quarter and at the end, so that it does not speak all the time. */
const spoken = computed(() => {
  if (over.value) return `Trial T${props.page.id} is ${line.value.status}: ${count(line.value.recorded, "reading")}.`;
  return `${25 * Math.floor(4 * share.value)}% of the readings are here.`;
});

/** Have the server change what the trial does, one change at a time, and look at it anew. */
async function change(how: "stop" | "go-on" | "ask-again" | "try-now"): Promise<void> {
  if (asking.value) return;
  asking.value = true;
  try {
    await changes.tell(props.page, how);
    if (how === "stop") say("Stopped. What was answered is kept.", () => void change("go-on"));
  } catch (error) {
    complain(messageOf(error));
  } finally {
    asking.value = false;
  }
}

const plan = (from: number | "new") =>
  void router.push({ name: "trial", params: { name: props.name, id: undefined }, query: { plan: String(from) } });
const move = (by: number) => (at.value = Math.min(Math.max(at.value + by, 0), order.value.length - 1));
useKeys([
  { keys: { s: () => !over.value && void change("stop") }, shown: ["S"], label: "stop" },
  {
    keys: { j: () => move(1), k: () => move(-1), arrowdown: () => move(1), arrowup: () => move(-1) },
    shown: ["J", "K"],
    label: "case",
  },
  { keys: { enter: () => read(order.value[at.value] ?? 0, null) }, shown: ["Enter"], label: "read" },
  { keys: { p: () => plan(props.page.id) }, shown: ["P"], label: "plan another" },
]);
</script>

<template>
  <section class="panel flex w-87 shrink-0 flex-col max-wide:w-69">
    <header class="flex items-center gap-3 border-b border-rule px-4 py-head">
      <span class="min-w-0 flex-1">
        <span class="block font-semibold">Trial T{{ page.id }}</span>
        <span class="caption block truncate">{{ page.answers_of ? `T${page.answers_of} judged anew` : "started" }} {{ when(page.created_at) }}{{ page.started_by ? ` by ${page.started_by}` : "" }}</span>
      </span>
      <button type="button" class="button" data-test="plan-another" @click="plan(page.id)">Plan another like this</button>
    </header>
    <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-4">
      <div>
        <h2 class="caption mb-1 font-medium">Arms</h2>
        <ul>
          <li v-for="arm in page.arms" :key="arm.position" class="flex items-baseline gap-3 border-b border-rule-soft py-line">
            <span
              class="rounded-md px-1.5 font-mono text-sm font-medium"
              :class="arm.position === 0 ? 'bg-slate-wash text-slate' : 'bg-kelp-wash text-kelp'"
              >v{{ arm.version }}</span
            >
            <span class="min-w-0 flex-1 truncate" :title="asked(arm)">{{ asked(arm) }}</span>
            <span class="caption truncate font-mono" :title="settingsInShort(arm.settings) || 'the version’s own settings'">{{ settingsInShort(varied(page, arm.settings)) }}</span>
            <span class="w-13 text-right text-xs text-slate">{{ arm.position === 0 ? "baseline" : "" }}</span>
          </li>
        </ul>
      </div>
      <p v-if="question" data-test="main-question">
        <span class="caption mb-1 block font-medium">Main question</span>{{ question }}
      </p>
      <div>
        <h2 class="caption mb-1 font-medium">Checks</h2>
        <ul>
          <li v-for="measure in page.measures" :key="measure.index" class="flex items-baseline gap-3 py-0.75">
            <span class="min-w-0 flex-1 truncate">{{ measure.title }}</span>
            <span class="caption shrink-0" :title="`A difference of ${measure.margin} points does not matter. ${measure.signature}`">same within {{ measure.margin }}</span>
          </li>
        </ul>
      </div>
      <p>
        <template v-if="page.alone">The step “{{ page.alone }}” alone: </template>{{ count(page.arms.length, "arm") }} × {{ count(page.cases, "case") }}<template v-if="page.asked > page.cases"> and {{ count(page.asked - page.cases, "variation") }}</template> × {{ count(page.repeats, "repeat") }}, each
        call with a seed of its own, from <span class="font-mono text-sm">{{ page.seed }}</span>. <template v-if="page.as_recorded !== null">What T{{ page.as_recorded }} was asked exactly the same is as recorded there. </template>{{ standIns }}<template v-if="out.size"> {{ count(out.size, "case") }} held out: asked like the others, and not shown here.</template>
      </p>
      <p class="caption">
        Above the line an answer passed every check, below it failed one; a hollow dot got no answer. A click on a strip reads
        its answers.
      </p>
    </div>
  </section>
  <section class="panel flex min-w-0 flex-1 flex-col">
    <header class="flex items-center gap-3 px-4 py-head">
      <span class="min-w-0 flex-1">
        <span class="block font-semibold" data-test="readings">
          {{ line.recorded === line.total ? count(line.total, "reading") : `${line.recorded.toLocaleString("en")} of ${count(line.total, "reading")}` }}
        </span>
        <span class="caption block truncate" data-test="trial-facts">{{ facts || "\u00a0" }}</span>
      </span>
      <button v-if="!over" type="button" class="button" :disabled="asking" data-test="stop-trial" @click="change('stop')">
        Stop, keep what is here
      </button>
      <button
        v-else-if="(line.status === 'stopped' || line.status === 'failed') && line.recorded < line.total"
        type="button"
        class="button"
        :disabled="asking"
        data-test="go-on"
        @click="change('go-on')"
      >
        Go on
      </button>
      <RouterLink
        :to="{ name: 'verdict', params: { name, id: page.id } }"
        class="button"
        :class="over ? 'button-main' : ''"
        data-test="read-verdict"
        >{{ over ? "Read the verdict" : "Verdict so far" }}</RouterLink
      >
    </header>
    <span class="sr-only" role="status">{{ spoken }}</span>
    <div class="h-0.75 bg-rule-soft" role="progressbar" aria-label="Readings recorded" :aria-valuenow="Math.round(share * 100)" aria-valuemin="0" aria-valuemax="100">
      <div class="h-full bg-kelp" :style="{ width: `${share * 100}%` }"></div>
    </div>
    <p v-if="lost" class="border-b border-rule-soft bg-straw-wash px-4 py-line text-straw" role="alert">
      The connection to the server is lost; the trial goes on without this screen. Trying again by itself…
    </p>
    <p v-if="line.failure" class="border-b border-rule-soft bg-rust-wash px-4 py-line text-rust" role="alert" data-test="failure">
      The trial failed three times without recording an answer, and was ended: {{ line.failure }} What is here is kept; go on when that is mended.
    </p>
    <p v-for="each in paused" :key="each.arm" class="border-b border-rule-soft bg-straw-wash px-4 py-line text-straw" role="status" data-test="paused">
      <span class="font-semibold">{{ each.name }} is paused.</span> {{ each.why }} No answer is lost: it is tried again {{ each.again.replace(" s", "\u00a0s") }}.
      <button type="button" class="link ml-1" :disabled="asking" data-test="try-now" @click="change('try-now')">Try now</button>
    </p>
    <p v-if="line.unanswered" class="border-b border-rule-soft px-4 py-line text-straw">
      <span class="font-semibold">{{ count(line.unanswered, "call") }} got no answer</span>, after every try.
      <button
        v-if="firstUnanswered"
        type="button"
        class="link"
        @click="read(firstUnanswered.caseAt, firstUnanswered.arm)"
      >
        Read why
      </button>
      <button v-if="over && page.answers_of === null" type="button" class="link ml-3" :disabled="asking" data-test="ask-again" @click="change('ask-again')">Ask them again</button>
    </p>
    <TickMatrix
      :page="page"
      :matrix="matrix"
      :order="order"
      :notes="notes"
      :chosen-case="order[at] ?? null"
      :chosen-arm="null"
      @choose="read"
    />
  </section>
</template>
