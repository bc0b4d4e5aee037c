<script setup lang="ts">
import { ref } from "vue";

import { messageOf } from "@/api/client";
import { useKnowledgeChanges } from "@/api/knowledge";

defineProps<{ first: boolean }>();
const emit = defineEmits<{ made: [name: string]; cancel: [] }>();
const changes = useKnowledgeChanges(() => "");
const name = ref("");
const note = ref("");
const wrong = ref("");
const busy = ref(false);

async function make(): Promise<void> {
  busy.value = true;
  wrong.value = "";
  try {
    const made = await changes.create({ name: name.value.trim(), note: note.value });
    emit("made", made.name);
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="flex flex-col gap-4 p-8" @submit.prevent="make">
    <p class="max-w-130 font-serif text-say">{{ first ? "There is nothing to look up in yet." : "A new collection" }}</p>
    <p class="max-w-130 text-ink-2">A collection holds texts that answers may draw on, cut into passages: rules, notices, a handbook. Prompts look passages up in it, and every answer says which version of it it had.</p>
    <label class="flex max-w-90 flex-col gap-1">
      <span>Name <span class="caption">(small letters, digits and hyphens)</span></span>
      <input v-model="name" class="field" placeholder="luggage-rules" data-test="collection-name" :aria-invalid="!!wrong" />
    </label>
    <label class="flex max-w-130 flex-col gap-1">
      <span>What it is for <span class="caption">(if you like)</span></span>
      <textarea v-model="note" rows="2" class="field" data-test="collection-note"></textarea>
    </label>
    <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
    <p class="flex gap-3">
      <button type="submit" class="button button-main" :disabled="busy || !name.trim()" data-test="make-collection">Make it</button>
      <button v-if="!first" type="button" class="button" @click="emit('cancel')">Leave it</button>
    </p>
  </form>
</template>
