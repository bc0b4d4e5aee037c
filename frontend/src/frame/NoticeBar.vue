<script setup lang="ts">
import { dismiss, type Notice, notices } from "./notices";

function undo(notice: Notice): void {
  notice.undo?.();
  dismiss(notice.id);
}
</script>

<template>
  <div class="fixed right-4.5 bottom-px z-30 flex flex-col items-end gap-1" aria-live="polite">
    <div
      v-for="notice in notices"
      :key="notice.id"
      class="flex items-center gap-4 rounded-md border px-3 py-0.75 text-sm"
      :class="notice.kind === 'wrong' ? 'border-rust bg-rust-wash text-rust' : 'border-ink bg-ink text-sheet'"
      data-test="notice"
    >
      <span class="max-w-140">{{ notice.text }}</span>
      <button v-if="notice.undo" type="button" class="font-semibold underline" data-test="undo" @click="undo(notice)">Undo</button>
      <button v-else type="button" class="underline" @click="dismiss(notice.id)">Dismiss</button>
    </div>
  </div>
</template>
