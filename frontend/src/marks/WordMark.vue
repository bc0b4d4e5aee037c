<script setup lang="ts">
/** Up-triangle better, down-triangle worse, flat bar same, ring unsettled. */
defineProps<{ word: "better" | "worse" | "same" | "unsettled" }>();
</script>

<template>
  <svg width="12" height="12" viewBox="-6 -6 12 12" class="inline-block shrink-0" role="img" :aria-label="word">
    <path v-if="word === 'better'" d="M0,-5 5,4 -5,4Z" fill="var(--color-kelp)" />
    <path v-else-if="word === 'worse'" d="M0,5 5,-4 -5,-4Z" fill="var(--color-rust)" />
    <rect v-else-if="word === 'same'" x="-5" y="-2.5" width="10" height="5" fill="var(--color-ink-3)" />
    <circle v-else r="4" fill="var(--color-sheet)" stroke="var(--color-straw)" stroke-width="2" />
  </svg>
</template>
