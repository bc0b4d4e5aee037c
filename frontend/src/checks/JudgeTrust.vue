<script setup lang="ts">
/** Whether a judge may be believed: it is put to the test with answers whose scores are known. */
import { computed, watch } from "vue";

import { useJudgeTest } from "@/api/checks";
import { messageOf } from "@/api/client";
import type { CheckUse, TrustShape } from "@/api/schema";
import { cents } from "@/marks/format";

const props = defineProps<{ use: CheckUse; trust: TrustShape | null }>();
const test = useJudgeTest();
const told = computed(() => test.data.value?.trust ?? props.trust);
watch(
  () => JSON.stringify(props.use.options),
  () => test.reset(),
);
</script>

<template>
  <section v-if="told" class="border-t border-rule-soft py-2" data-test="judge-trust">
    <div class="flex items-baseline gap-3">
      <p class="min-w-0 flex-1">
        <b class="font-semibold" :class="told.trusted ? 'text-kelp' : 'text-straw'" data-test="trust-word">{{ told.trusted ? "To be trusted" : "Not to be trusted yet" }}</b
        >: {{ told.why }}
      </p>
      <button type="button" class="button h-slim shrink-0" :disabled="test.isPending.value" data-test="test-judge" @click="test.mutate(props.use)">
        {{ test.isPending.value ? "Asking…" : told.tested ? "Test it again" : "Put it to the test" }}
      </button>
    </div>
    <p v-if="test.error.value" class="text-sm text-rust" role="alert">{{ messageOf(test.error.value) }}</p>
    <template v-if="test.data.value">
      <table class="mt-1 w-full table-fixed text-sm" data-test="known-answers">
        <thead class="caption text-left"><tr><th class="w-14 font-normal">known</th><th class="w-14 font-normal">given</th><th class="font-normal">answer</th></tr></thead>
        <tbody>
          <tr v-for="(known, at) in test.data.value.known" :key="at" class="border-t border-rule-soft align-top" :title="known.reason">
            <td class="font-mono">{{ known.known }}</td>
            <td class="font-mono" :class="known.given === null || Math.abs(known.given - known.known) > 1 ? 'text-rust' : ''">{{ known.given ?? "–" }}</td>
            <td class="truncate font-serif">{{ known.answer || "(empty)" }}</td>
          </tr>
        </tbody>
      </table>
      <p class="caption">{{ test.data.value.cents ? `It cost ${cents(test.data.value.cents)}.` : "It cost nothing." }}</p>
    </template>
  </section>
</template>
