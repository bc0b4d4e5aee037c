<script setup lang="ts">
/** The label a case expects: one of the prompt's labels, or typed. */
import { computed } from "vue";

const props = defineProps<{ labels: string[] }>();
const label = defineModel<string>({ required: true });
const choices = computed(() =>
  label.value && !props.labels.includes(label.value) ? [...props.labels, label.value] : props.labels,
);
</script>

<template>
  <label class="flex flex-col gap-1">
    <span>Expected label <span class="caption">(or none)</span></span>
    <select v-if="labels.length" v-model="label" class="field" data-test="expected-label">
      <option value="">nothing expected</option>
      <option v-for="choice in choices" :key="choice" :value="choice">{{ choice }}</option>
    </select>
    <input v-else v-model="label" class="field" placeholder="The label that is right" data-test="expected-label" />
  </label>
</template>
