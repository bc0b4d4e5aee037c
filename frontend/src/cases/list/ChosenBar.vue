<script setup lang="ts">
/** What can be done with the cases that are chosen, all at once, each with a way back. */
import { computed, ref } from "vue";

import { fetchNumbers, useCaseChanges } from "@/api/cases";
import { messageOf } from "@/api/client";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";
import { listFrom } from "@/parts/values";

const MOST = 2_000;
const props = defineProps<{ name: string; find: string; found: number; away: boolean }>();
const chosen = defineModel<Set<number>>({ required: true });
const changes = useCaseChanges(() => props.name);
const tags = ref("");
const busy = ref(false);
const numbers = computed(() => [...chosen.value].sort((a, b) => a - b));
const tooMany = computed(() => numbers.value.length > MOST);

async function during(what: () => Promise<void>): Promise<void> {
  busy.value = true;
  try {
    await what();
  } catch (error) {
    complain(messageOf(error));
  } finally {
    busy.value = false;
  }
}
const tag = (how: "add" | "remove") =>
  during(async () => {
    const given = listFrom(tags.value);
    const edited = await changes.tagAll(numbers.value, how === "add" ? given : [], how === "remove" ? given : []);
    const told = `${given.join(", ")}: ${how === "add" ? "given to" : "taken from"} ${count(edited.length, "case")}.`;
    say(edited.length ? told : "That changes none of them.", edited.length ? () => void during(() => changes.restore(edited)) : undefined);
    tags.value = "";
  });

const SHARES = [1, 0.5, 0.3, 0.2, 0.1];
async function holdOut(event: Event): Promise<void> {
  const choice = event.target as HTMLSelectElement;
  const share = Number(choice.value);
  choice.value = "";
  await during(async () => {
    const edited = await changes.holdOut(numbers.value, share);
    const told = `${count(edited.length, "case")} held out: in trials from now on ${edited.length === 1 ? "its results stay" : "their results stay"} out of sight.`;
    say(edited.length ? told : "They are held out already.", edited.length ? () => void during(() => changes.restore(edited)) : undefined);
  });
}
const putAway = (away: boolean) =>
  during(async () => {
    const after = await changes.putAway(numbers.value, away);
    chosen.value = new Set();
    say(`${count(after.length, "case")} ${away ? "put away" : "brought back"}.`, () => void during(async () => void (await changes.setAllAway(after, !away))));
  });
const chooseAll = () =>
  during(async () => {
    const { numbers: all } = await fetchNumbers(props.name, props.find);
    chosen.value = new Set(all);
  });
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule bg-kelp-wash px-gut py-1" data-test="chosen-bar">
    <b class="font-semibold whitespace-nowrap">{{ count(chosen.size, "case") }} chosen</b>
    <button v-if="chosen.size < found" type="button" class="link text-sm" data-test="choose-all" @click="chooseAll">all {{ found.toLocaleString("en") }}</button>
    <button type="button" class="link text-sm" data-test="choose-none" @click="chosen = new Set()">none</button>
    <span v-if="tooMany" class="text-sm text-straw">At most {{ MOST.toLocaleString("en") }} can be changed at once.</span>
    <form v-else-if="!away" class="flex min-w-0 flex-1 items-center gap-2" @submit.prevent="tags.trim() && tag('add')">
      <input v-model="tags" class="field h-slim min-w-20 flex-1" placeholder="tags, with commas" aria-label="Tags for the chosen cases" data-test="chosen-tags" />
      <button type="submit" class="button h-slim px-2" :disabled="busy || !tags.trim()" data-test="tag-chosen">Give</button>
      <button type="button" class="button h-slim px-2" :disabled="busy || !tags.trim()" data-test="untag-chosen" @click="tag('remove')">Take</button>
    </form>
    <RouterLink v-if="!away && chosen.size <= 24" class="button h-slim px-2" :to="{ name: 'draft', params: { name }, query: { cases: numbers.join(',') } }" title="Try the draft on them, all at once" data-test="try-chosen">Try</RouterLink>
    <select v-if="!tooMany && !away" class="field h-slim px-1" :disabled="busy" aria-label="Hold out" title="Their results stay out of sight until somebody looks; taking the tag “holdout” ends it" data-test="hold-out" @change="holdOut">
      <option value="">Hold out…</option>
      <option v-for="share in SHARES" :key="share" :value="share">{{ share === 1 ? "all of them" : `${share * 100}% of them` }}</option>
    </select>
    <button v-if="!tooMany" type="button" class="button h-slim px-2" :disabled="busy" data-test="away-chosen" @click="putAway(!away)">{{ away ? "Bring back" : "Put away" }}</button>
  </div>
</template>
