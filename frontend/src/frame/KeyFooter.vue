<script setup lang="ts">
import { bindings, keyList, useKeys } from "./keys";

useKeys([{ keys: { "?": () => (keyList.open = true) }, shown: ["?"], label: "all keys" }]);
</script>

<template>
  <footer class="flex h-7 shrink-0 items-center gap-4 overflow-hidden border-t border-rule px-5 text-xs text-ink-2">
    <span v-for="binding in bindings" :key="binding.label" class="flex items-center gap-1 whitespace-nowrap">
      <kbd v-for="key in binding.shown" :key="key" class="key">{{ key }}</kbd>
      {{ binding.label }}
    </span>
    <span class="flex-1"></span>
    <span id="footer-note" class="truncate"></span>
  </footer>
</template>
