<script setup lang="ts">
import { computed, ref } from "vue";

import { messageOf } from "@/api/client";
import type { Tool } from "@/api/schema";
import { useToolChanges } from "@/api/tools";
import { blankShape } from "@/draft/reply/shape";
import WorkFields from "./WorkFields.vue";

defineProps<{ first: boolean }>();
const emit = defineEmits<{ made: [name: string]; cancel: [] }>();
const changes = useToolChanges();
const name = ref("");
const tool = ref<Tool>({ name: "", description: "", parameters: blankShape() });
const wrong = ref("");
const busy = ref(false);
const forModel = computed(() => name.value.trim().replaceAll("-", "_"));

async function make(): Promise<void> {
  busy.value = true;
  wrong.value = "";
  try {
    const made = await changes.create({ name: name.value.trim(), content: { ...tool.value, name: forModel.value } });
    emit("made", made.name);
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="flex min-h-0 flex-col gap-4 overflow-auto p-8" @submit.prevent="make">
    <p class="max-w-130 font-serif text-say">{{ first ? "No tool is kept yet." : "A new tool" }}</p>
    <p class="max-w-130 text-ink-2">A tool is something the model may ask for on its way to an answer: a timetable, a booking, a sum. Kept here, it has versions, and several prompts use the same one.</p>
    <label class="flex max-w-90 flex-col gap-1">
      <span>Name <span class="caption">(small letters, digits and hyphens)</span></span>
      <input v-model="name" class="field" placeholder="timetable" data-test="new-tool-name" :aria-invalid="!!wrong" />
    </label>
    <label class="flex max-w-130 flex-col gap-1">
      <span>What it does, and when to use it <span class="caption">(the model reads this)</span></span>
      <textarea v-model="tool.description" rows="2" class="field" data-test="new-tool-about"></textarea>
    </label>
    <WorkFields v-model="tool" />
    <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
    <p class="flex gap-3">
      <button type="submit" class="button button-main" :disabled="busy || !name.trim()" data-test="make-tool">Keep it</button>
      <button v-if="!first" type="button" class="button" @click="emit('cancel')">Leave it</button>
    </p>
  </form>
</template>
