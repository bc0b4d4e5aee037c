<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { ref, watch } from "vue";

import { api, got, messageOf } from "@/api/client";
import { complain, say } from "@/frame/notices";
import LabelField from "@/parts/LabelField.vue";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{
  open: boolean;
  name: string;
  inputs: Record<string, unknown>;
  labels: string[];
  suggested: string | null;
}>();
const emit = defineEmits<{ close: [] }>();
const queries = useQueryClient();
const label = ref("");
const tags = ref("");
const wrong = ref("");

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    label.value = props.suggested ?? "";
    wrong.value = "";
  },
);

async function setDeleted(number: number, deleted: boolean): Promise<void> {
  try {
    await got(
      api.PUT("/api/v1/subjects/{name}/cases/{number}/deletion", {
        params: { path: { name: props.name, number } },
        body: { deleted },
      }),
    );
    await refresh();
  } catch (error) {
    complain(messageOf(error));
  }
}

async function refresh(): Promise<void> {
  await queries.invalidateQueries({ queryKey: ["cases"] });
  await queries.invalidateQueries({ queryKey: ["subject", props.name] });
}

async function keep(): Promise<void> {
  try {
    const kept = await got(
      api.POST("/api/v1/subjects/{name}/cases", {
        params: { path: { name: props.name } },
        body: {
          inputs: props.inputs,
          expect: { label: label.value.trim() || null },
          tags: tags.value.split(",").map((tag) => tag.trim()).filter(Boolean),
          origin: "kept from a try",
        },
      }),
    );
    emit("close");
    say(`Kept as case ${kept.number}.`, () => void setDeleted(kept.number, true));
    await refresh();
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
</script>

<template>
  <SheetDialog :open="open" title="Keep as case" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="keep">
      <dl class="flex flex-col gap-1 border-l-2 border-rule pl-3">
        <div v-for="(value, input) in inputs" :key="input" class="flex gap-3">
          <dt class="font-mono text-xs text-slate">{{ input }}</dt>
          <dd class="line-clamp-3 font-serif">{{ value || "(empty)" }}</dd>
        </div>
      </dl>
      <LabelField v-model="label" :labels="labels" />
      <label class="flex flex-col gap-1">
        <span>Tags <span class="caption">(commas between)</span></span>
        <input v-model="tags" class="field" placeholder="e.g. hard, two wishes" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" data-test="keep-confirm">Keep it</button>
      </div>
    </form>
  </SheetDialog>
</template>
