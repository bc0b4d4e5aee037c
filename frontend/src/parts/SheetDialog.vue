<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";

withDefaults(defineProps<{ open: boolean; title: string; width?: string }>(), { width: "480px" });
defineEmits<{ close: [] }>();
</script>

<template>
  <Dialog :open="open" class="relative z-20" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/25" aria-hidden="true"></div>
    <div class="fixed inset-0 flex items-start justify-center overflow-auto p-8 pt-[10vh]">
      <DialogPanel class="panel flex w-full flex-col p-5" :style="{ maxWidth: width }">
        <slot />
        <!-- Shown first but last in order, so that the first field of the sheet gets the focus. -->
        <div class="order-first mb-3 flex items-baseline justify-between gap-4">
          <DialogTitle class="text-read font-semibold">{{ title }}</DialogTitle>
          <button type="button" class="link text-sm" @click="$emit('close')">Close</button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
