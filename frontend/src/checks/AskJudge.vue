<script setup lang="ts">
/** Ask a judge about one answer, and show what it says. */
import { ref, watch } from "vue";

import { judgeAnswer } from "@/api/checks";
import { messageOf } from "@/api/client";
import type { BenchAnswer, CheckUse, JudgedAnswer } from "@/api/schema";
import { cents } from "@/marks/format";

const props = defineProps<{ name: string; use: CheckUse; answer: BenchAnswer }>();
const found = ref<JudgedAnswer | null>(null);
const wrong = ref("");
const busy = ref(false);
const asked = () => JSON.stringify([props.use, props.answer.text, props.answer.try_id]);
watch(asked, () => ((found.value = null), (wrong.value = "")));

async function ask(): Promise<void> {
  const mine = asked();
  busy.value = true;
  try {
    const told = await judgeAnswer(props.name, props.use, props.answer);
    if (mine === asked()) found.value = told;
  } catch (error) {
    if (mine === asked()) wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="mt-1 text-sm" data-test="ask-judge">
    <button v-if="!found" type="button" class="link" :disabled="busy" @click="ask">{{ busy ? "Asking…" : `Ask ${use.options?.model || "the judge"}` }}</button>
    <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
    <template v-if="found">
      <p v-for="finding in found.findings" :key="finding.measure" class="font-serif text-base" :class="finding.passed === false ? 'text-rust' : finding.passed === null ? 'text-straw' : ''">{{ finding.message }}</p>
      <p class="caption">{{ found.cents ? cents(found.cents) : "remembered: it cost nothing" }}</p>
    </template>
  </div>
</template>
