<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { nextTick, ref, watch } from "vue";

const props = withDefaults(defineProps<{ open: boolean; title: string; width?: string }>(), { width: "480px" });
defineEmits<{ close: [] }>();
/** Closed it is there until it has given the focus back, and no longer: its trap would take the focus to a field of the
 * screen whenever a pressed button goes away. */
const there = ref(props.open);
watch(
  () => props.open,
  async (open) => {
    if (!open) await nextTick();
    there.value = props.open;
  },
);
</script>

<template>
  <Dialog v-if="there" :open="open" class="relative z-20" @close="$emit('close')">
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
