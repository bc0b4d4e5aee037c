<script setup lang="ts">
/** Judges a past trial's answers anew, kept as a trial of its own. Where that asks judges, their price is said first. */
import { ref, watch } from "vue";
import { useRouter } from "vue-router";

import { messageOf } from "@/api/client";
import type { CheckUse, PriceShape } from "@/api/schema";
import { useTrialChanges } from "@/api/trials";
import { cents, count } from "@/marks/format";

/** Without `checks` by those that the prompt has today. */
const props = defineProps<{ name: string; trial: number; checks?: CheckUse[] }>();
const router = useRouter();
const changes = useTrialChanges();
const price = ref<PriceShape | null>(null);
const wrong = ref("");
const busy = ref(false);
/** What the price holds for: an identity that a use is given when it is kept changes nothing of it. */
const asked = () => JSON.stringify([props.trial, props.checks?.map(({ id: _id, ...use }) => use)]);
watch(asked, () => ((price.value = null), (wrong.value = "")));

async function begin(sure: boolean): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  wrong.value = "";
  try {
    if (!sure) {
      const found = await changes.priceAnew(props.trial, props.checks);
      if (found.calls) {
        price.value = found;
        return;
      }
    }
    const { id } = await changes.judgeAnew(props.trial, props.checks);
    void router.push({ name: "verdict", params: { name: props.name, id } });
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <span>
    <button v-if="!price" type="button" class="link" :disabled="busy" data-test="judge-anew" @click="begin(false)"><slot></slot></button>
    <span v-else role="status" data-test="anew-price">
      Judges would be asked {{ count(price.calls, "time") }} at most, for about {{ cents(price.cents) }}; what they said before is free.
      <button type="button" class="link ml-1" :disabled="busy" data-test="anew-sure" @click="begin(true)">Ask them</button>
      <button type="button" class="link ml-2" @click="price = null">Leave it</button>
    </span>
    <span v-if="wrong" class="ml-1 text-rust" role="alert">{{ wrong }}</span>
  </span>
</template>
