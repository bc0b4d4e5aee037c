<script setup lang="ts">
import { ref } from "vue";

import type { DescribedDocument, DocumentPage } from "@/api/schema";
import { listFrom } from "@/parts/values";

const props = defineProps<{ about: DocumentPage }>();
const emit = defineEmits<{ save: [told: DescribedDocument] }>();
const title = ref(props.about.title);
const tags = ref(props.about.tags.join(", "));
const dated = ref(props.about.dated ?? "");
const save = () => emit("save", { title: title.value, tags: listFrom(tags.value), dated: dated.value || null });
</script>

<template>
  <form class="flex flex-wrap items-end gap-4 border-b border-rule-soft bg-paper px-6 py-3" @submit.prevent="save">
    <label class="flex flex-1 flex-col gap-1"><span>Title</span><input v-model="title" class="field" /></label>
    <label class="flex flex-1 flex-col gap-1"><span>Tags <span class="caption">(commas between)</span></span><input v-model="tags" class="field" data-test="document-tags" /></label>
    <label class="flex flex-col gap-1"><span>Of the day</span><input v-model="dated" type="date" class="field" data-test="document-date" /></label>
    <button type="submit" class="button button-main" data-test="save-described">Save</button>
  </form>
</template>
