<script setup lang="ts">
/** Rename an input in the text and in the cases, after showing what will change. */
import { ref, watch } from "vue";

import { messageOf } from "@/api/client";
import type { Renamed } from "@/api/schema";
import { count } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import type { RenameDraft } from "./renameDraft";

const props = defineProps<{
  name: string | null;
  rename: RenameDraft;
}>();
const emit = defineEmits<{ close: [] }>();
const to = ref("");
const shown = ref<Renamed | null>(null);
const wrong = ref("");
const busy = ref(false);

watch(
  () => props.name,
  (name) => {
    to.value = name ?? "";
    shown.value = null;
    wrong.value = "";
  },
);
watch(to, () => {
  shown.value = null;
  wrong.value = "";
});

async function go(apply: boolean): Promise<void> {
  if (!props.name || busy.value) return;
  busy.value = true;
  wrong.value = "";
  try {
    const done = await props.rename(props.name, to.value.trim(), apply);
    if (apply) emit("close");
    else shown.value = done;
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <SheetDialog :open="name !== null" :title="`Rename the input ${name ?? ''}`" width="620px" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="go(shown !== null)">
      <label class="flex flex-col gap-1">
        <span>New name</span>
        <input v-model="to" class="field font-mono" maxlength="80" :aria-invalid="wrong !== ''" data-test="rename-to" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div v-if="shown" data-test="rename-preview">
        <p>
          {{ count(shown.changes.length, "line") }} of the text will change, and the input in
          {{ count(shown.cases, "case") }}.
        </p>
        <ul class="mt-2 max-h-[36vh] overflow-auto border-y border-rule-soft py-1">
          <li v-for="(change, at) in shown.changes" :key="at" class="py-1">
            <span class="caption">{{ change.part }}, line {{ change.line }}</span>
            <span class="block font-mono text-sm text-rust">− {{ change.before }}</span>
            <span class="block font-mono text-sm text-kelp">+ {{ change.after }}</span>
          </li>
        </ul>
        <p class="caption mt-2">Versions that are saved keep the old name: they never change.</p>
      </div>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" :disabled="busy || !to.trim() || to.trim() === name" data-test="rename-go">
          {{ shown ? "Rename it" : "Show what changes" }}
        </button>
      </div>
    </form>
  </SheetDialog>
</template>
