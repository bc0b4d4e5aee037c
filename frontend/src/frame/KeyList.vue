<script setup lang="ts">
import SheetDialog from "@/parts/SheetDialog.vue";
import { bindings, keyList } from "./keys";
import { who } from "./who";
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
    <label class="mt-4 flex items-center gap-3 border-t border-rule-soft pt-3">
      <span class="shrink-0">Who you are</span>
      <input v-model="who" class="field min-w-0 flex-1" maxlength="80" placeholder="your name: it stands beside what you change" data-test="who" />
    </label>
  </SheetDialog>
</template>
