<script setup lang="ts">
/** The draft of a subject, in the screen of its kind. */
import { computed, defineAsyncComponent } from "vue";
import { useRoute } from "vue-router";

import { useSubject } from "@/api/subjects";

const DraftScreen = defineAsyncComponent(() => import("./DraftScreen.vue"));
const ChainScreen = defineAsyncComponent(() => import("@/chain/ChainScreen.vue"));
const name = String(useRoute().params.name);
const subject = useSubject(() => name);
const kind = computed(() => subject.data.value?.kind);
</script>

<template>
  <ChainScreen v-if="kind === 'chain'" />
  <DraftScreen v-else-if="kind === 'prompt'" />
  <main v-else class="flex-1"></main>
</template>
