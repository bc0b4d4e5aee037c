<script setup lang="ts">
/** Without a number: the latest trial's verdict. Arm, check, case and repeat stand in the address. */
import { computed, onScopeDispose, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { useStale } from "@/api/stale";
import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useSubject } from "@/api/subjects";
import { useTrial, useVerdict } from "@/api/trials";
import { useTrialEvents } from "@/trial/useTrialEvents";
import { useLook } from "./look";
import VerdictBody from "./VerdictBody.vue";

const route = useRoute();
const router = useRouter();
const stale = useStale();
const name = computed(() => String(route.params.name));
const id = computed(() => (route.params.id ? Number(route.params.id) : null));
const subject = useSubject(name);
const trial = useTrial(id);
const missing = computed(() => (route.query.missing === "left_out" ? "left_out" : "failed"));
const baseline = computed(() => (/^\d+$/.test(String(route.query.against ?? "")) ? Number(route.query.against) : 0));
const look = useLook();
const verdict = useVerdict(id, missing, baseline, look);
const page = computed(() => (trial.data.value?.id === id.value ? trial.data.value : undefined));
const { line, ticks, over } = useTrialEvents(page, look);
const failed = computed(() => faultOf(trial) ?? faultOf(verdict) ?? null);
const isEmpty = computed(() => id.value === null && subject.data.value !== undefined && !subject.data.value.latest_trial);

watch(
  () => [route.name, id.value, subject.data.value?.latest_trial] as const,
  ([here, given, latest]) => {
    if (here === "verdict" && given === null && latest) {
      void router.replace({ name: "verdict", params: { name: name.value, id: latest }, query: route.query });
    }
  },
  { immediate: true },
);

// What can be said of a trial is worked out anew with what has landed: soon, but not at every answer.
const AGAIN_MS = 2_000;
let waiting: ReturnType<typeof setTimeout> | undefined;
let asked = performance.now();
function askAgain(): void {
  waiting = undefined;
  asked = performance.now();
  if (id.value !== null) void stale.verdict(id.value);
}
watch(
  () => [line.value?.id, line.value?.landed, line.value?.recorded, line.value?.status],
  ([now], [before]) => {
    if (now !== before) return;
    waiting ??= setTimeout(askAgain, Math.max(0, over.value ? 0 : AGAIN_MS - (performance.now() - asked)));
  },
);
onScopeDispose(() => clearTimeout(waiting));
</script>

<template>
  <main class="flex min-h-0 flex-1 flex-col gap-3 px-edge py-3">
    <VerdictBody
      v-if="page && verdict.data.value && verdict.data.value.trial === page.id"
      :key="page.id"
      :name="name"
      :page="page"
      :verdict="verdict.data.value"
      :ticks="ticks"
      :over="over"
    />
    <section v-else-if="failed" class="p-6">
      <p class="font-serif text-say" role="alert">{{ messageOf(failed) }}</p>
      <p class="mt-3"><RouterLink class="link" :to="{ name: 'trial', params: { name } }">Go to the trials</RouterLink></p>
    </section>
    <section v-else-if="isEmpty" class="p-6" data-test="no-verdict">
      <p class="font-serif text-say">There is no verdict yet, because no trial has run.</p>
      <p class="mt-2 max-w-140">
        A trial asks two versions, or two models, about the same cases, and a verdict says which did better, by how much, and how
        sure that is.
      </p>
      <RouterLink class="button button-main mt-4" :to="{ name: 'trial', params: { name } }">Plan a trial</RouterLink>
    </section>
    <template v-else>
      <p class="font-serif text-say text-ink-3" role="status">Working out the verdict…</p>
      <div class="panel h-55"></div>
      <div class="panel flex-1"></div>
    </template>
  </main>
</template>
