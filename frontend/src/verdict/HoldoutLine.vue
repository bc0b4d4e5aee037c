<script setup lang="ts">
/** The cases that a trial holds out: who has looked at their results, and a look of one's own, which is recorded. */
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import { messageOf } from "@/api/client";
import type { TrialPage } from "@/api/schema";
import { useTrialChanges } from "@/api/trials";
import { complain } from "@/frame/notices";
import { count, when } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import { heldOut } from "./look";

const props = defineProps<{ page: TrialPage; look: number | null; over: boolean }>();
const route = useRoute();
const router = useRouter();
const trials = useTrialChanges();
const asking = ref(false);
const busy = ref(false);
const why = ref("");
const cases = computed(() => [...heldOut(props.page)].filter((at) => at < props.page.cases).length);
const looks = computed(() => props.page.looks);
const told = computed(() => looks.value.map(({ at, by, why }) => [when(at), by && `by ${by}`, why && `“${why}”`].filter(Boolean).join(" ")));

async function lookNow(): Promise<void> {
  busy.value = true;
  try {
    const made = await trials.look(props.page.id, why.value);
    asking.value = false;
    why.value = "";
    await go(made.id);
  } catch (error) {
    complain(messageOf(error));
  } finally {
    busy.value = false;
  }
}
async function go(id: number | null): Promise<void> {
  const query = { ...route.query };
  for (const name of ["look", "case", "at", "show"]) delete query[name];
  await router.replace({ query: id === null ? query : { ...query, look: String(id) } });
}
</script>

<template>
  <p v-if="look !== null" class="mt-1 border-l-2 border-straw bg-straw-wash/60 py-0.5 pl-2 text-sm" role="status" data-test="looking">
    You are looking at {{ count(cases, "case") }} held out, and at no others. <button type="button" class="link" data-test="stop-looking" @click="go(null)">Back to the others</button>
  </p>
  <p v-else class="mt-1 text-sm text-ink-2" data-test="holdout">
    {{ count(cases, "case") }} held out, and in none of these numbers.
    <template v-if="looks.length"
      >Looked at <span class="text-straw" :title="told.join('\n')">{{ looks.length === 1 ? "once" : `${looks.length} times` }}, last {{ told[0] }}</span>.
    </template>
    <template v-else>Nobody has looked yet.</template>
    <button type="button" class="link ml-1" data-test="look" @click="asking = true">Look</button>
  </p>
  <SheetDialog :open="asking" title="Look at the cases held out" @close="asking = false">
    <form class="flex flex-col gap-3" @submit.prevent="lookNow">
      <p>
        They are there so that a decision can be checked against cases that nothing was tuned to. Each look uses some of that up, so it is recorded
        and stands beside the verdict for everybody to see.
      </p>
      <label class="flex flex-col gap-1"><span>What for?</span><input v-model="why" class="field" maxlength="400" placeholder="e.g. before v7 goes live" data-test="look-why" /></label>
      <div><button type="submit" class="button button-main" :disabled="busy" data-test="look-now">Record it and look</button></div>
    </form>
  </SheetDialog>
</template>
