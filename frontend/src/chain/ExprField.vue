<script setup lang="ts">
/** One expression in CEL, with what is wrong with it below. */
import TypedField from "@/parts/TypedField.vue";

const text = defineModel<string>({ required: true });
withDefaults(defineProps<{ label: string; hint?: string; fault?: string; test?: string; wide?: boolean }>(), { hint: "", fault: "", test: "expression", wide: false });
</script>

<template>
  <label class="grid grid-cols-[92px_1fr] items-start gap-x-3">
    <span class="pt-1.25">{{ label }}</span>
    <span class="flex min-w-0 flex-col">
      <TypedField lines class="field field-sizing-content max-h-40 w-full resize-none font-mono text-sm" spellcheck="false" :model-value="text" :placeholder="hint" :aria-label="label" :aria-invalid="fault !== ''" :data-test="test" @update:model-value="text = $event" />
      <span v-if="fault" class="text-sm text-rust" role="alert">{{ fault }}</span>
    </span>
  </label>
</template>
