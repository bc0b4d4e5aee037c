<script setup lang="ts">
/** A model of the list, or one that is not there any more. */
import { computed } from "vue";

import { useModels } from "@/api/models";

const model = defineModel<string>({ required: true });
withDefaults(defineProps<{ label?: string; fault?: string }>(), { label: "Model", fault: "" });
const models = useModels();
const list = computed(() => models.data.value?.models ?? []);
</script>

<template>
  <label class="grid grid-cols-[92px_1fr] items-center gap-x-3">
    <span>{{ label }}</span>
    <span class="flex min-w-0 items-center gap-3">
      <select class="field w-44 px-1" :value="model" :aria-label="label" data-test="step-model" @change="model = ($event.target as HTMLSelectElement).value">
        <option v-if="!list.some(({ name: each }) => each === model)" :value="model">{{ model ? `${model} (not there)` : "choose…" }}</option>
        <option v-for="each in list" :key="each.name" :value="each.name">{{ each.name }}</option>
      </select>
      <span v-if="fault" class="text-sm text-rust" role="alert">{{ fault }}</span>
    </span>
  </label>
</template>
