<script setup lang="ts">
import { ref, watch } from "vue";

import { who } from "@/frame/who";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; next: number; busy: boolean }>();
const emit = defineEmits<{ close: []; save: [note: string] }>();
const note = ref("");
watch(
  () => props.open,
  (open) => {
    if (open) note.value = "";
  },
);
</script>

<template>
  <SheetDialog :open="open" :title="`Save as v${next}`" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="emit('save', note)">
      <label class="flex flex-col gap-1">
        <span>What changed <span class="caption">(a few words, for you later)</span></span>
        <input v-model="note" class="field" maxlength="500" placeholder="e.g. a rule for ties" data-test="version-note" />
      </label>
      <label class="flex flex-col gap-1">
        <span>Who you are <span class="caption">(stands beside what you change; kept in this browser)</span></span>
        <input v-model="who" class="field" maxlength="80" placeholder="your name" data-test="version-by" />
      </label>
      <p class="caption">A version never changes. Trials compare versions.</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" :disabled="busy" data-test="save-confirm">Save it</button>
      </div>
    </form>
  </SheetDialog>
</template>
