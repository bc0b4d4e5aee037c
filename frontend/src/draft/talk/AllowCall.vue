<script setup lang="ts">
/** A call of a tool that changes something outside waits: nothing is done until somebody allows it. */
import { ref } from "vue";

import { messageOf } from "@/api/client";
import type { Waiting } from "@/api/streamTry";
import { sayAllowed } from "@/api/tools";

const props = defineProps<{ call: Waiting }>();
const said = ref<boolean | null>(null);
const wrong = ref("");

async function say(allowed: boolean): Promise<void> {
  said.value = allowed;
  wrong.value = "";
  try {
    await sayAllowed(props.call.token, allowed);
  } catch (error) {
    said.value = null;
    wrong.value = messageOf(error);
  }
}
</script>

<template>
  <div class="mt-1 border-l-2 border-straw pl-3" role="alert" data-test="allow">
    <p class="text-sm">It wants to call <span class="font-mono font-semibold">{{ call.name }}</span>, which changes something outside:</p>
    <p class="font-mono text-sm break-words">{{ call.arguments }}</p>
    <p class="mt-1 flex gap-3">
      <button type="button" class="button button-main" :disabled="said !== null" data-test="allow-yes" @click="say(true)">Do it</button>
      <button type="button" class="button" :disabled="said !== null" data-test="allow-no" @click="say(false)">Don't</button>
    </p>
    <p v-if="wrong" class="text-sm text-rust">{{ wrong }}</p>
  </div>
</template>
