<script setup lang="ts">
/** Without a number: the latest trial, or a plan when there is none or one is asked for. */
import { computed, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useSubject } from "@/api/subjects";
import { useTrial } from "@/api/trials";
import TrialPlanner from "./TrialPlanner.vue";
import TrialRun from "./TrialRun.vue";

const route = useRoute();
const router = useRouter();
const name = computed(() => String(route.params.name));
const id = computed(() => (route.params.id ? Number(route.params.id) : null));
const subject = useSubject(name);
const trial = useTrial(id);
const planning = computed(() => {
  if (route.query.plan !== undefined) return true;
  return id.value === null && subject.data.value !== undefined && !subject.data.value.latest_trial;
});
const from = computed(() => (/^\d+$/.test(String(route.query.plan)) ? Number(route.query.plan) : null));

watch(
  () => [route.name, id.value, route.query.plan, subject.data.value?.latest_trial] as const,
  ([here, given, plan, latest]) => {
    if (here === "trial" && given === null && plan === undefined && latest) {
      void router.replace({ name: "trial", params: { name: name.value, id: latest } });
    }
  },
  { immediate: true },
);
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-edge py-3">
    <TrialPlanner v-if="planning" :key="String(route.query.plan)" :name="name" :from="from" :newest="route.query.plan === 'newest'" />
    <TrialRun v-else-if="trial.data.value && trial.data.value.id === id" :key="id" :name="name" :page="trial.data.value" />
    <section v-else-if="faultOf(trial)" class="panel flex-1 p-8">
      <p class="font-serif text-say" role="alert">{{ messageOf(faultOf(trial)) }}</p>
      <p class="mt-3 flex gap-4">
        <button type="button" class="button" @click="trial.refetch()">Try again</button>
        <RouterLink class="button" :to="{ name: 'trial', params: { name, id: undefined }, query: { plan: 'new' } }">Plan a trial</RouterLink>
      </p>
    </section>
    <template v-else>
      <section class="panel flex w-87 flex-col gap-3 p-4" role="status" aria-label="Loading">
        <div v-for="n in 5" :key="n" class="h-7 bg-paper"></div>
      </section>
      <section class="panel flex flex-1 flex-col gap-3 p-4"><div v-for="n in 12" :key="n" class="h-7 bg-paper"></div></section>
    </template>
  </main>
</template>
