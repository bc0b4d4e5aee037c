<script setup lang="ts">
import { ref, watch } from "vue";

import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; next: number; busy: boolean }>();
const emit = defineEmits<{ close: []; save: [note: string, by: string] }>();
const note = ref("");
const by = ref(localStorage.getItem("epistem.name") ?? "");
watch(
  () => props.open,
  (open) => {
    if (open) note.value = "";
  },
);
function save(): void {
  localStorage.setItem("epistem.name", by.value.trim());
  emit("save", note.value, by.value.trim());
}
</script>

<template>
  <SheetDialog :open="open" :title="`Save as v${next}`" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="save">
      <label class="flex flex-col gap-1">
        <span>What changed <span class="caption">(a few words, for you later)</span></span>
        <input v-model="note" class="field" maxlength="500" placeholder="e.g. a rule for ties" data-test="version-note" />
      </label>
      <label class="flex flex-col gap-1">
        <span>Who you are <span class="caption">(kept in this browser)</span></span>
        <input v-model="by" class="field" maxlength="80" placeholder="your name" data-test="version-by" />
      </label>
      <p class="caption">A version never changes. Trials compare versions.</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" :disabled="busy" data-test="save-confirm">Save it</button>
      </div>
    </form>
  </SheetDialog>
</template>
