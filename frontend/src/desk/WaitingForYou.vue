<script setup lang="ts">
/** What walks wait for: a word to what is about to happen, said here; and talks, which are gone on with where they are. */
import { computed } from "vue";
import { RouterLink } from "vue-router";

import { usePauses } from "@/api/chains";
import PauseCard from "@/chain/walk/PauseCard.vue";
import { when } from "@/marks/format";
import { asText } from "@/parts/values";

const pauses = usePauses();
const waiting = computed(() => pauses.data.value?.pauses ?? []);
const words = computed(() => waiting.value.filter(({ kind }) => kind === "word"));
const talks = computed(() => waiting.value.filter(({ kind }) => kind === "talk"));
</script>

<template>
  <section v-if="waiting.length" class="panel shrink-0" aria-label="Waiting for you" data-test="waiting-pauses">
    <header class="border-b border-rule px-gut py-2"><b class="font-semibold">Waiting for you</b> <span class="caption">walks that go on once you have said a word</span></header>
    <div class="max-h-90 overflow-auto" tabindex="0" role="group" aria-label="Pauses">
      <PauseCard v-for="pause in words" :key="pause.id" :pause="pause" where class="border-b border-rule-soft last:border-b-0" @said="pauses.refetch()" />
      <RouterLink
        v-for="talk in talks"
        :key="talk.id"
        class="flex items-baseline gap-3 border-b border-l-3 border-b-rule-soft border-l-slate px-gut py-2 last:border-b-0 hover:bg-paper"
        :to="{ name: 'draft', params: { name: talk.subject }, query: { walk: String(talk.walk) } }"
        data-test="waiting-talk"
      >
        <span class="min-w-0 flex-1 truncate font-serif text-read">{{ asText(talk.value) }}</span>
        <span class="shrink-0 text-sm">{{ talk.subject }}, walk {{ talk.walk }}</span>
        <span class="caption shrink-0">an answer is waited for until {{ when(talk.until_at) }}</span>
      </RouterLink>
    </div>
  </section>
</template>
