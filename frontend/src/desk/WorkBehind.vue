<script setup lang="ts">
/** What goes on behind the pages: what runs, what did not work yet and is tried again, and what can't be done. */
import { computed } from "vue";

import { leaveJob, tryJobAgain } from "@/api/jobs";
import { jobs } from "@/api/live";
import { messageOf } from "@/api/client";
import type { JobLine } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { count, when } from "@/marks/format";

const told = computed(() => jobs.value.filter(({ status, attempts }) => status !== "waiting" || attempts > 0));
const waiting = computed(() => jobs.value.filter((job) => !told.value.includes(job)));
const next = computed(() => {
  if (!waiting.value.length) return "work that goes on by itself";
  const [first, ...more] = waiting.value.map(({ title }) => title);
  return `next: ${first}${more.length ? `, and ${count(more.length, "more thing")} after it` : ""}`;
});

function stateOf(job: JobLine): string {
  const tried = `Tried ${count(job.attempts, "time")}`;
  if (job.status === "failed") return `can't be done: ${job.why} ${tried}.`;
  const so = job.total ? `${job.done.toLocaleString("en")} of ${job.total.toLocaleString("en")}` : "";
  if (job.status === "running") return ["running", so, job.attempts ? `${tried.toLowerCase()} before` : ""].filter(Boolean).join(", ");
  return `did not work yet: ${job.why} ${tried}; again at ${when(job.due_at)}.`;
}

async function act(what: Promise<void>): Promise<void> {
  try {
    await what;
  } catch (error) {
    complain(messageOf(error));
  }
}
async function leave(job: JobLine): Promise<void> {
  await act(leaveJob(job.id));
  say(`Left: ${job.title}.`, () => void act(tryJobAgain(job.id)));
}
</script>

<template>
  <section v-if="jobs.length" class="panel shrink-0" aria-label="Work behind the desk" data-test="work-behind">
    <header class="flex items-baseline gap-3 px-gut py-2" :class="{ 'border-b border-rule': told.length }">
      <b class="shrink-0 font-semibold">Behind the desk</b>
      <span class="caption min-w-0 flex-1 truncate" :title="waiting.map(({ title }) => title).join('\n')" data-test="jobs-waiting">{{ next }}</span>
    </header>
    <div v-if="told.length" class="max-h-60 overflow-auto" tabindex="0" role="group" aria-label="Work">
      <p v-for="job in told" :key="job.id" class="flex items-baseline gap-3 border-b border-rule-soft px-gut py-2 last:border-b-0" data-test="job">
        <span class="w-4 shrink-0 text-center" :class="job.status === 'failed' ? 'text-rust' : job.attempts ? 'text-straw' : 'text-kelp'" aria-hidden="true">{{ job.status === "failed" ? "×" : job.status === "running" ? "▸" : "○" }}</span>
        <span class="shrink-0">{{ job.title }}</span>
        <span class="min-w-0 flex-1 text-sm" :class="job.status === 'failed' ? 'text-rust' : 'text-ink-2'" role="status">{{ stateOf(job) }}</span>
        <button v-if="job.status !== 'running'" type="button" class="link shrink-0 text-sm" data-test="try-job" @click="act(tryJobAgain(job.id))">try it now</button>
        <button type="button" class="link shrink-0 text-sm" data-test="leave-job" @click="leave(job)">leave it</button>
      </p>
    </div>
  </section>
</template>
