<script setup lang="ts">
/** What a walk waits for: what is about to happen, and the three words that can be said. */
import { ref } from "vue";

import { useWalkChanges } from "@/api/chains";
import { messageOf } from "@/api/client";
import type { WaitingPause } from "@/api/schema";
import { complain } from "@/frame/notices";
import { when } from "@/marks/format";
import { asText, valueLike } from "@/parts/values";
import ValueText from "./ValueText.vue";

const props = defineProps<{ pause: WaitingPause; where?: boolean }>();
const emit = defineEmits<{ said: [] }>();
const changes = useWalkChanges();
const text = ref(asText(props.pause.value));
const note = ref("");
const busy = ref(false);

async function sayWord(word: "approved" | "refused"): Promise<void> {
  busy.value = true;
  const edited = word === "approved" && props.pause.edits && text.value !== asText(props.pause.value);
  try {
    await changes.say(props.pause.id, { word: edited ? "edited" : word, value: edited ? valueLike(props.pause.value, text.value) : null, note: note.value });
    emit("said");
  } catch (wrong) {
    complain(messageOf(wrong));
    emit("said");
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section class="border-l-3 border-l-straw px-gut py-2" :aria-label="`Waiting: ${pause.step}`" data-test="pause">
    <p class="flex items-baseline gap-3">
      <b class="min-w-0 flex-1 truncate font-semibold">{{ pause.step }}</b>
      <RouterLink v-if="where" class="link text-sm" :to="{ name: 'draft', params: { name: pause.subject }, query: { walk: String(pause.walk) } }">{{ pause.subject }}, walk {{ pause.walk }}</RouterLink>
      <span class="caption">until {{ when(pause.until_at) }}, then {{ pause.then === "approve" ? "approved" : "refused" }}</span>
    </p>
    <div v-for="(value, name) in pause.shows" :key="name" class="mt-1.5"><span class="block font-mono text-xs text-slate">{{ name }}</span><ValueText v-if="name !== pause.edits" :value="value" /></div>
    <label v-if="pause.edits" class="mt-1.5 block"><span class="block font-mono text-xs text-kelp">{{ pause.edits }}, which you may change</span><textarea v-model="text" class="field field-sizing-content max-h-60 w-full font-serif text-read" data-test="pause-value"></textarea></label>
    <div class="mt-2 flex items-center gap-2">
      <button type="button" class="button button-main" :disabled="busy" data-test="approve" @click="sayWord('approved')">{{ pause.edits && text !== asText(pause.value) ? "Approve as edited" : "Approve" }}</button>
      <button type="button" class="button" :disabled="busy" data-test="refuse" @click="sayWord('refused')">Refuse</button>
      <input v-model="note" class="field min-w-0 flex-1" placeholder="why, in a few words" aria-label="Note" data-test="pause-note" />
    </div>
  </section>
</template>
