<script setup lang="ts">
/** Whose answers and whose findings a verdict rests on, and the same answers judged otherwise. */
import type { TrialPage } from "@/api/schema";
import JudgeAnew from "@/checks/JudgeAnew.vue";
import { when } from "@/marks/format";

defineProps<{ name: string; page: TrialPage; over: boolean }>();
</script>

<template>
  <p class="mt-1 text-sm text-ink-2" data-test="rests-on">
    <template v-if="page.alone">The step “{{ page.alone }}” was tried alone, on what it was given in walks. </template>
    <template v-if="page.as_recorded !== null"
      >What <RouterLink class="link" :to="{ name: 'verdict', params: { name, id: page.as_recorded } }">T{{ page.as_recorded }}</RouterLink> was asked exactly the same is as recorded there, and no new
      evidence of it.
    </template>
    <template v-if="page.answers_of !== null">
      Rests on the answers of
      <RouterLink class="link" :to="{ name: 'verdict', params: { name, id: page.answers_of } }">T{{ page.answers_of }}</RouterLink>,
      judged anew {{ when(page.created_at) }}. Checks that were chosen after the answers were known make a look, not a test.
    </template>
    <template v-else-if="page.judged_anew.length">
      Rests on what its checks found {{ when(page.created_at) }}. Judged anew since:
      <template v-for="(id, at) in page.judged_anew" :key="id"
        >{{ at ? ", " : "" }}<RouterLink class="link" :to="{ name: 'verdict', params: { name, id } }">T{{ id }}</RouterLink></template
      >.
    </template>
    <JudgeAnew v-if="over" :name="name" :trial="page.id">Judge its answers by today’s checks</JudgeAnew>
  </p>
</template>
