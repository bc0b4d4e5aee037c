<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, got, messageOf } from "@/api/client";
import SheetDialog from "@/parts/SheetDialog.vue";

defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const queries = useQueryClient();
const name = ref("");
const about = ref("");
const wrong = ref("");
const busy = ref(false);
/** What is typed becomes a name that can stand in an address. */
const slug = computed(() =>
  name.value
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63),
);

async function create(): Promise<void> {
  busy.value = true;
  wrong.value = "";
  try {
    const made = await got(api.POST("/api/v1/subjects", { body: { name: slug.value, about: about.value } }));
    await queries.invalidateQueries({ queryKey: ["desk"] });
    name.value = about.value = "";
    emit("close");
    await router.push({ name: "draft", params: { name: made.name } });
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <SheetDialog :open="open" title="New prompt" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="create">
      <label class="flex flex-col gap-1">
        <span>Name</span>
        <input
          v-model="name"
          class="field"
          placeholder="e.g. sort-complaints"
          :aria-invalid="wrong !== ''"
          data-test="new-name"
        />
        <span class="caption">{{
          slug && slug !== name ? `It will be called ${slug}.` : "Small letters, digits and hyphens."
        }}</span>
      </label>
      <label class="flex flex-col gap-1">
        <span>What it does <span class="caption">(shown on the desk)</span></span>
        <input v-model="about" class="field" maxlength="200" placeholder="e.g. sorts complaints by department" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" :disabled="!slug || busy" data-test="create">Make it</button>
      </div>
    </form>
  </SheetDialog>
</template>
