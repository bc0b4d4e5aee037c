<script setup lang="ts">
import SheetDialog from "@/parts/SheetDialog.vue";
import { bindings, keyList } from "./keys";
</script>

<template>
  <SheetDialog :open="keyList.open" title="Keys that work here" @close="keyList.open = false">
    <dl class="grid grid-cols-[auto_1fr] items-center gap-x-4 gap-y-2">
      <template v-for="binding in bindings" :key="binding.label">
        <dt class="flex gap-1">
          <kbd v-for="key in binding.shown" :key="key" class="key">{{ key }}</kbd>
        </dt>
        <dd>{{ binding.label }}</dd>
      </template>
    </dl>
  </SheetDialog>
</template>
