<script setup lang="ts">
import { computed } from "vue";

import type { ExactRequest } from "@/api/schema";
import { say } from "@/frame/notices";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; request: ExactRequest | null; error: string }>();
defineEmits<{ close: [] }>();
const text = computed(() => (props.request ? JSON.stringify(props.request.body, null, 2) : ""));

async function copy(): Promise<void> {
  await navigator.clipboard.writeText(text.value);
  say("The request is copied.");
}
</script>

<template>
  <SheetDialog :open="open" title="Exact request" width="860px" @close="$emit('close')">
    <p v-if="error" class="text-rust" role="alert">{{ error }}</p>
    <p v-else-if="!request" class="text-ink-3">Building it…</p>
    <template v-else>
      <div class="mb-2 flex items-baseline justify-between gap-4">
        <span class="truncate font-mono text-sm text-ink-2">POST {{ request.address }}</span>
        <button type="button" class="link shrink-0" @click="copy">Copy the JSON</button>
      </div>
      <pre
        class="max-h-[56vh] overflow-auto border border-rule bg-white p-3 font-mono text-sm whitespace-pre-wrap"
        tabindex="0"
        data-test="request-json"
        >{{ text }}</pre
      >
      <p class="caption mt-2">
        {{ request.parts.length }} parts went into it: {{ request.parts.map((part) => part.name).join(", ") }}.
      </p>
    </template>
  </SheetDialog>
</template>
