<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from "vue";
import { RouterLink, useRouter } from "vue-router";

import ColumnRow from "@/parts/ColumnRow.vue";
import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { jobs } from "@/api/live";
import { useDesk } from "@/api/subjects";
import type { SubjectLine } from "@/api/schema";
import AppHeader from "@/frame/AppHeader.vue";
import { useKeys } from "@/frame/keys";
import { count, points, when } from "@/marks/format";
import AboutSubject from "./AboutSubject.vue";
import EvidenceDot from "./EvidenceDot.vue";
import ImportFiles from "./ImportFiles.vue";
import NewPrompt from "./NewPrompt.vue";
import WaitingForYou from "./WaitingForYou.vue";
import WorkBehind from "./WorkBehind.vue";
import { wantOf } from "./wants";

const COLUMNS = "minmax(170px,260px) 56px minmax(120px,200px) minmax(120px,1fr) 112px minmax(160px,260px)";
const router = useRouter();
const typed = ref("");
const find = ref("");
const desk = useDesk(find);
const searching = computed(() => find.value.trim() !== "");
const field = useTemplateRef<HTMLInputElement>("field");
const importing = ref(false);
const copying = ref<string | null>(null);
let pause: ReturnType<typeof setTimeout> | undefined;
watch(typed, (text) => {
  clearTimeout(pause);
  pause = setTimeout(() => (find.value = text), 150);
});
/** The server names it as a file, so the page stays. */
function download(name: string): void {
  window.location.assign(`/api/v1/subjects/${name}/file`);
}
const kind = ref<"prompt" | "chain">("prompt");
function begin(from: string | null, what: "prompt" | "chain" = "prompt"): void {
  kind.value = what;
  copying.value = from;
  creating.value = true;
}
const lines = computed(() => desk.data.value?.pages.flatMap((page) => page.subjects) ?? []);
/** The demo is being brought in. */
const coming = computed(() => jobs.value.some(({ kind, status }) => kind === "demo" && status !== "failed"));
const chosen = ref(0);
const creating = ref(false);
const describing = ref<SubjectLine | null>(null);
const wants = computed(() => lines.value.map((line) => ({ line, want: wantOf(line) })));
const waiting = computed(() => wants.value.filter(({ want }) => want && !want.goesOn));
const running = computed(() => wants.value.filter(({ want }) => want?.goesOn).length);
const runs = computed(() => (running.value === 1 ? "One trial is running" : `${running.value} trials are running`));
const reach = computed(() => {
  const ends = lines.value.flatMap((line) => [line.headline?.low ?? 0, line.headline?.high ?? 0]);
  return Math.max(10, ...ends.map(Math.abs)) * 1.08;
});

/** Where a click and Enter lead: to what is to be done next. */
const placeOf = (line: SubjectLine) => ({ name: wantOf(line)?.stage ?? "draft", params: { name: line.name } });
function open(at = chosen.value): void {
  const line = lines.value[at];
  if (line) void router.push(placeOf(line));
}
const move = (by: number) => {
  chosen.value = Math.min(Math.max(chosen.value + by, 0), lines.value.length - 1);
};
useKeys([
  {
    keys: { j: () => move(1), k: () => move(-1), arrowdown: () => move(1), arrowup: () => move(-1) },
    shown: ["J", "K"],
    label: "subject",
  },
  { keys: { enter: () => open() }, shown: ["Enter"], label: "open" },
  { keys: { m: () => void router.push({ name: "models" }) }, shown: ["M"], label: "models" },
  { keys: { w: () => void router.push({ name: "knowledge" }) }, shown: ["W"], label: "knowledge" },
  { keys: { t: () => void router.push({ name: "tools" }) }, shown: ["T"], label: "tools" },
  { keys: { n: () => begin(null) }, shown: ["N"], label: "new prompt" },
  { keys: { c: () => begin(null, "chain") }, shown: ["C"], label: "new chain" },
  { keys: { "/": () => field.value?.focus() }, shown: ["/"], label: "find" },
]);
</script>

<template>
  <AppHeader
    ><span class="flex flex-1 items-center px-gut text-read font-semibold">Desk</span>
    <RouterLink :to="{ name: 'knowledge' }" class="flex items-center px-gut"><span class="link" data-test="to-knowledge">Knowledge</span></RouterLink>
    <RouterLink :to="{ name: 'tools' }" class="flex items-center px-gut"><span class="link" data-test="to-tools">Tools</span></RouterLink>
    <RouterLink :to="{ name: 'models' }" class="flex items-center px-edge"><span class="link" data-test="to-models">Models</span></RouterLink></AppHeader
  >
  <main class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto px-edge py-4">
    <div class="flex items-start justify-between gap-8">
      <p class="max-w-225 font-serif text-say" data-test="desk-sentence">
        <template v-if="desk.isPending.value">Looking at the desk…</template>
        <template v-else-if="faultOf(desk)">{{ messageOf(faultOf(desk)) }}</template>
        <template v-else-if="searching">{{ lines.length ? "What was found" : "Nothing found" }}</template>
        <template v-else-if="lines.length === 0 && coming">The examples are on their way. Each brings its cases and a trial.</template>
        <template v-else-if="lines.length === 0">The desk is empty. A prompt is where it starts.</template>
        <template v-else-if="waiting.length === 0 && running">{{ runs }}; nothing waits for you.</template>
        <template v-else-if="waiting.length === 0">
          Nothing is left to do here. {{ count(lines.length, "subject") }}, all with evidence.
        </template>
        <template v-else>
          {{ waiting.length === 1 ? "One subject waits for you" : `${waiting.length} subjects wait for you` }}:
          <template v-for="({ line, want }, at) in waiting.slice(0, 3)" :key="line.name"
            ><template v-if="at">; </template
            ><RouterLink :to="{ name: want!.stage, params: { name: line.name } }" class="border-b border-dotted border-ink-3">{{
              line.name
            }}</RouterLink>, {{ want!.text }}</template
          >.{{ running ? ` ${runs}.` : "" }}
        </template>
      </p>
      <span class="flex w-45 shrink-0 flex-col gap-1.5">
        <button type="button" class="button button-main justify-center" data-test="new-prompt" @click="begin(null)">New prompt</button>
        <button type="button" class="button justify-center" data-test="new-chain" @click="begin(null, 'chain')">New chain</button>
      </span>
    </div>

    <div class="flex items-center gap-4">
      <input
        ref="field"
        v-model="typed"
        type="search"
        class="field w-85"
        placeholder="Find by name, tag, model or words of the text"
        aria-label="Find a subject"
        data-test="desk-find"
        @keydown.esc="typed = ''"
        @keydown.enter="open()"
      />
      <span class="caption">{{ searching ? (lines.length ? `${count(lines.length, "subject")} found` : "") : "" }}</span>
      <span class="flex-1"></span>
      <button type="button" class="link text-sm" data-test="import" @click="importing = true">Take in files</button>
      <a v-if="lines.length" class="link text-sm" href="/api/v1/files" download data-test="export-all">Export all as a zip</a>
    </div>
    <WaitingForYou />
    <WorkBehind />
    <section v-if="faultOf(desk)" class="panel p-6">
      <button type="button" class="button" @click="desk.refetch()">Try again</button>
    </section>
    <section v-else-if="searching && lines.length === 0" class="panel p-6">
      <p>Nothing has all of “{{ find }}”. <button type="button" class="link" @click="typed = ''">Show everything</button></p>
    </section>
    <section v-else-if="!desk.isPending.value && lines.length === 0 && !coming" class="panel p-8">
      <p class="max-w-140">
        A prompt is written in parts, tried on one message, then on cases you keep, and its versions are compared in a
        trial. To look round first, stop Epistem and start it with <code class="chip">make demo</code>, which brings
        ten examples with their cases and trials.
      </p>
    </section>
    <section v-else class="panel shrink-0">
      <ColumnRow head :columns="COLUMNS">
        <span>Subject</span><span>Version</span><span>Last evidence</span><span></span><span>Last trial</span><span>What next</span>
      </ColumnRow>
      <div v-if="desk.isPending.value" class="flex flex-col gap-3 p-gut" role="status" aria-label="Loading">
        <div v-for="n in 3" :key="n" class="h-9 bg-paper"></div>
      </div>
      <ColumnRow
        :is="RouterLink"
        v-for="({ line, want }, at) in wants"
        :key="line.name"
        :to="placeOf(line)"
        class="py-line last:border-b-0"
        :columns="COLUMNS"
        :chosen="at === chosen"
        :data-test="`subject-${line.name}`"
        @mouseenter="chosen = at"
      >
        <span class="min-w-0">
          <span class="block truncate text-read font-semibold">{{ line.name }}</span>
          <span class="caption block truncate">{{ line.kind }}{{ line.about ? ` · ${line.about}` : "" }}{{ line.tags.length ? ` · ${line.tags.join(", ")}` : "" }}</span>
        </span>
        <span class="font-mono text-sm text-ink-2">{{ line.base_version ? `v${line.base_version}` : "–" }}</span>
        <EvidenceDot v-if="line.headline" :headline="line.headline" :reach="reach" />
        <span v-else class="text-sm text-ink-3">no evidence yet</span>
        <span class="min-w-0">
          <template v-if="line.headline && line.headline.difference != null">
            <span class="block truncate text-sm">{{ line.headline.arm }} against {{ line.headline.against }}</span>
            <span class="caption block truncate"
              >{{ line.headline.measure }}, {{ points(line.headline.difference) }} points, {{ line.headline.word }}</span
            >
          </template>
        </span>
        <span class="font-mono text-sm text-ink-2">{{
          line.latest_trial && line.trial_at ? `T${line.latest_trial}, ${when(line.trial_at)}` : "–"
        }}</span>
        <span class="flex min-w-0 items-baseline gap-3">
          <span class="min-w-0 flex-1 truncate">{{ want?.text }}</span>
          <span v-if="at === chosen" class="flex gap-3 text-xs">
            <button type="button" class="link" :data-test="`copy-${line.name}`" @click.prevent="begin(line.name)">copy</button>
            <button type="button" class="link" :data-test="`about-${line.name}`" @click.prevent="describing = line">tags</button>
            <button type="button" class="link" @click.prevent="download(line.name)">YAML</button>
          </span>
        </span>
      </ColumnRow>
      <p v-if="desk.hasNextPage.value" class="px-gut py-2">
        <button type="button" class="link" :disabled="desk.isFetchingNextPage.value" data-test="more-subjects" @click="desk.fetchNextPage()">More subjects</button>
      </p>
    </section>
  </main>
  <NewPrompt :open="creating" :from="copying" :kind="kind" @close="creating = false" />
  <ImportFiles :open="importing" @close="importing = false" />
  <AboutSubject :line="describing" @close="describing = null" />
</template>
