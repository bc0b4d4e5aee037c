<script setup lang="ts">
/** What the desk says of a subject, and the tags that it is found by. */
import { ref, watch } from "vue";

import { useSubjectChanges } from "@/api/subjects";
import { messageOf } from "@/api/client";
import type { SubjectLine } from "@/api/schema";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ line: SubjectLine | null }>();
const emit = defineEmits<{ close: [] }>();
const changes = useSubjectChanges();
const about = ref("");
const tags = ref("");
const wrong = ref("");
watch(
  () => props.line,
  (line) => {
    about.value = line?.about ?? "";
    tags.value = (line?.tags ?? []).join(", ");
    wrong.value = "";
  },
);

async function save(): Promise<void> {
  try {
    const body = { about: about.value, tags: tags.value.split(",") };
    await changes.setAbout(props.line!, body);
    emit("close");
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
</script>

<template>
  <SheetDialog :open="line !== null" :title="line?.name ?? ''" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="save">
      <label class="flex flex-col gap-1"><span>What it does</span><input v-model="about" class="field" maxlength="200" /></label>
      <label class="flex flex-col gap-1">
        <span>Tags <span class="caption">(commas between)</span></span>
        <input v-model="tags" class="field" placeholder="e.g. desk, urgent" data-test="tags" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" data-test="about-save">Save</button>
      </div>
    </form>
  </SheetDialog>
</template>
