<script setup lang="ts">
/** What a collection is for, who looks up in it, its versions, and the model that makes vectors of its passages. */
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";

import { messageOf } from "@/api/client";
import { leaveJob } from "@/api/jobs";
import { useKnowledgeChanges, useVectors } from "@/api/knowledge";
import { useModels } from "@/api/models";
import type { CollectionPage } from "@/api/schema";
import { say } from "@/frame/notices";
import { cents, count, when } from "@/marks/format";

const props = defineProps<{ page: CollectionPage }>();
const emit = defineEmits<{ close: []; putAway: []; version: [number: number | null] }>();
const changes = useKnowledgeChanges(() => props.page.name);
const models = useModels();
const able = computed(() => (models.data.value?.models ?? []).filter(({ abilities }) => abilities.includes("embeddings")));
const note = ref(props.page.note);
const model = ref(props.page.embeds_with ?? "");
const searchedBy = ref(props.page.searched_by);
const wrong = ref("");
const vectors = useVectors(computed(() => props.page.name), () => !!props.page.embeds_with);
const job = computed(() => vectors.data.value?.job ?? null);
const making = computed(() => job.value !== null && job.value.status !== "failed");

async function save(): Promise<void> {
  wrong.value = "";
  try {
    await changes.describe(note.value, model.value || null, searchedBy.value);
    say("It is described.");
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
/** Until none is missing. What is made is kept, so it can be broken off at any time. */
async function makeOrStop(): Promise<void> {
  wrong.value = "";
  try {
    if (making.value && job.value) await leaveJob(job.value.id);
    else await changes.makeVectors();
    await vectors.refetch();
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
</script>

<template>
  <header class="flex items-center gap-3 border-b border-rule px-6 py-head">
    <b class="flex-1 font-semibold">About {{ page.name }}</b>
    <button type="button" class="link text-sm" data-test="put-collection-away" @click="emit('putAway')">put it away</button>
    <button type="button" class="button" @click="emit('close')">Close</button>
  </header>
  <div class="flex min-h-0 flex-1 flex-col gap-5 overflow-auto px-6 py-4" tabindex="0" role="region" aria-label="About the collection">
    <form class="flex flex-col gap-3" @submit.prevent="save">
      <label class="flex max-w-150 flex-col gap-1"><span>What it is for</span><textarea v-model="note" rows="2" class="field"></textarea></label>
      <label class="flex max-w-150 flex-col gap-1">
        <span>Vectors by <span class="caption">(for look-ups by meaning; each passage is given to the model once)</span></span>
        <select v-model="model" class="field px-1" data-test="embeds-with">
          <option value="">no model: look-ups by words only</option>
          <option v-for="each in able" :key="each.name" :value="each.name">{{ each.name }}</option>
        </select>
      </label>
      <label class="flex max-w-150 flex-col gap-1">
        <span>Words are looked up <span class="caption">(the two score in ways of their own)</span></span>
        <select v-model="searchedBy" class="field px-1" data-test="searched-by">
          <option value="memory">in memory: quick, for up to some 100,000 passages</option>
          <option value="database">by the database's full-text index: slower, for more than that</option>
        </select>
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <p class="flex items-center gap-4">
        <button type="submit" class="button" :disabled="note === page.note && (model || null) === page.embeds_with && searchedBy === page.searched_by" data-test="save-collection">Save</button>
        <template v-if="page.embeds_with && vectors.data.value">
          <span class="tabular-nums" role="status" data-test="vectors">{{ vectors.data.value.done.toLocaleString("en") }} of {{ count(vectors.data.value.total, "passage") }} have vectors</span>
          <button v-if="vectors.data.value.done < vectors.data.value.total" type="button" class="button button-main" data-test="make-vectors" @click="makeOrStop">{{ making ? "Stop" : `Make the rest, about ${cents(vectors.data.value.cents)}` }}</button>
        </template>
      </p>
      <p v-if="job?.why" :class="job.status === 'failed' ? 'text-rust' : 'text-ink-2'" role="status" data-test="vectors-why">{{ job.why }} {{ job.status === "failed" ? "It was tried for long and given up." : "It is tried again by itself." }}</p>
    </form>
    <section aria-label="Who looks up in it">
      <h2 class="caption border-b border-rule-soft pb-1">Who looks up in it</h2>
      <p v-if="!page.used_by.length" class="py-1 text-ink-2">Nobody yet. In a prompt's inputs, choose “looked up in {{ page.name }}” for one of the kind passages.</p>
      <p v-for="name in page.used_by" :key="name" class="py-1"><RouterLink :to="{ name: 'draft', params: { name } }" class="link">{{ name }}</RouterLink></p>
    </section>
    <section aria-label="Versions">
      <h2 class="caption border-b border-rule-soft pb-1">Versions</h2>
      <ol>
        <li v-for="each in page.versions" :key="each.number" class="grid grid-cols-[48px_minmax(0,1fr)_auto_auto] items-baseline gap-3 border-b border-rule-soft py-1" data-test="collection-version">
          <b class="font-mono font-medium">v{{ each.number }}</b>
          <span class="truncate" :title="each.told">{{ each.told }}</span>
          <span class="caption">{{ count(each.documents, "document") }}, {{ count(each.passages, "passage") }} · {{ when(each.made_at) }}{{ each.made_by ? ` by ${each.made_by}` : "" }}</span>
          <button type="button" class="link text-sm" @click="emit('version', each.number === page.version ? null : each.number)">{{ each.number === page.shown ? "shown" : "read it" }}</button>
        </li>
      </ol>
    </section>
  </div>
</template>
