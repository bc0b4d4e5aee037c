<script setup lang="ts">
/** A row of a list in columns: its head, or one thing that can be chosen. All rows of a list take the same `columns`. */
import type { Component } from "vue";

withDefaults(defineProps<{ columns: string; is?: string | Component; head?: boolean; chosen?: boolean }>(), { is: "div", head: false, chosen: false });
</script>

<template>
  <component
    :is="is"
    :type="is === 'button' ? 'button' : undefined"
    class="grid items-center gap-x-3 px-gut text-left"
    :class="
      head ? 'border-b border-rule py-line text-xs font-medium text-ink-2' : ['w-full border-b border-rule-soft', chosen ? 'bg-kelp-wash' : 'hover:bg-paper']
    "
    :style="{ gridTemplateColumns: columns }"
    :aria-current="chosen && !head ? 'true' : undefined"
  >
    <slot />
  </component>
</template>
