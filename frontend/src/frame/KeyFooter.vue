<script setup lang="ts">
import { computed } from "vue";
import { useRouter } from "vue-router";

import { bindings, keyList, typing, useKeys } from "./keys";

const router = useRouter();
/** While one types, single letters do nothing but stand in the text. */
const rests = (shown: string[], always?: boolean) => typing.value && !always && !shown.some((key) => key.startsWith("Ctrl") || key === "F6");
const escape = computed(() => typing.value);

useKeys([
  { keys: { "?": () => (keyList.open = true) }, shown: ["?"], label: "all keys" },
  { keys: { "0": () => void router.push({ name: "desk" }) }, shown: ["0"], label: "desk", everywhere: true },
  { keys: {}, shown: ["F6"], label: "next panel, Shift F6 the one before", everywhere: true },
]);
</script>

<template>
  <!-- What does not fit wraps out of sight, whole: the list of `?` has all. -->
  <footer class="flex h-7 shrink-0 flex-wrap content-start items-center gap-x-4 gap-y-2 overflow-hidden pt-1.25 border-t border-rule px-5 text-xs text-ink-2">
    <span v-if="escape" class="flex items-center gap-1 whitespace-nowrap"><kbd class="key">Esc</kbd> leave the field</span>
    <span
      v-for="binding in bindings.filter((each) => !each.everywhere)"
      :key="binding.label"
      class="flex items-center gap-1 whitespace-nowrap"
      :class="rests(binding.shown, binding.always) ? 'opacity-40' : ''"
    >
      <kbd v-for="key in binding.shown" :key="key" class="key">{{ key }}</kbd>
      {{ binding.label }}
    </span>
    <span class="flex-1"></span>
    <span id="footer-note" class="truncate"></span>
  </footer>
</template>
