<script setup lang="ts">
/** The key that opens what was looked up, there while an answer had something looked up for it. */
import { useKeys } from "@/frame/keys";

const emit = defineEmits<{ press: [] }>();
useKeys([{ keys: { p: () => emit("press") }, shown: ["P"], label: "passages" }]);
</script>

<template>
  <!-- only a key -->
</template>
