<script setup lang="ts">
/** The trials so far, newest first. */
import { computed, ref } from "vue";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useTrials } from "@/api/trials";
import { cents, count, when } from "@/marks/format";

const props = defineProps<{ name: string }>();
const find = ref("");
const trials = useTrials(computed(() => props.name), find);
const lines = computed(() => trials.data.value?.pages.flatMap((page) => page.trials) ?? []);
const STATES: Record<string, string> = { waiting: "waiting", running: "running", stopped: "stopped", finished: "finished", failed: "failed" };
</script>

<template>
  <section class="panel flex min-w-0 flex-1 flex-col">
    <header class="flex items-center gap-3 border-b border-rule px-4 py-head">
      <span class="min-w-0 flex-1">
        <span class="block font-semibold">Trials so far</span>
        <span class="caption block">{{ lines.length ? `${trials.hasNextPage.value ? "the latest " : ""}${count(lines.length, "trial")}` : "\u00a0" }}</span>
      </span>
      <input
        v-if="lines.length > 8 || find"
        v-model="find"
        class="field w-55"
        type="search"
        placeholder="Number, state, v3 or model"
        aria-label="Find a trial"
        data-test="find-trial"
      />
    </header>
    <p v-if="faultOf(trials)" class="p-4 text-rust" role="alert">{{ messageOf(faultOf(trials)) }}</p>
    <p v-else-if="find && lines.length === 0" class="p-6 text-ink-2">No trial has “{{ find }}” in its number, state, versions or models.</p>
    <div v-else-if="!trials.isPending.value && lines.length === 0" class="max-w-130 p-6">
      <p class="font-serif text-say">No trial yet.</p>
      <p class="mt-2">
        A trial asks every arm about every case, several times over, and holds the answers against the checks. It ends in a
        verdict: what got better, what got worse, and what is still open.
      </p>
    </div>
    <ul v-else class="min-h-0 flex-1 overflow-auto">
      <li v-for="trial in lines" :key="trial.id" class="flex items-baseline gap-3 border-b border-rule-soft px-4 py-2 hover:bg-paper">
        <RouterLink class="link w-10 font-mono font-medium" :to="{ name: 'trial', params: { name, id: trial.id } }">T{{ trial.id }}</RouterLink>
        <span class="min-w-0 flex-1">
          <span class="block truncate" :title="trial.compared">{{ trial.compared }}</span>
          <span class="caption block truncate">
            {{ count(trial.recorded, "reading") }}, {{ STATES[trial.status] ?? trial.status }}<template v-if="trial.unanswered">, <span class="text-straw">{{ trial.unanswered }} without an answer</span></template>
            · {{ cents(trial.cents) }} · {{ when(trial.created_at) }}{{ trial.started_by ? ` by ${trial.started_by}` : "" }}
          </span>
        </span>
        <RouterLink class="link text-sm" :to="{ name: 'verdict', params: { name, id: trial.id } }">verdict</RouterLink>
      </li>
      <li v-if="trials.hasNextPage.value" class="px-4 py-2">
        <button type="button" class="link" :disabled="trials.isFetchingNextPage.value" data-test="more-trials" @click="trials.fetchNextPage()">Older trials</button>
      </li>
    </ul>
  </section>
</template>
