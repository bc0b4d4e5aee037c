<script setup lang="ts">
import { computed } from "vue";

import type { ExactRequest } from "@/api/schema";
import { copyText as copy } from "@/parts/copy";
import SheetDialog from "@/parts/SheetDialog.vue";
import { asCurl, asPython } from "./snippets";
import TokenBar from "./TokenBar.vue";

const props = defineProps<{ open: boolean; request: ExactRequest | null; error: string }>();
defineEmits<{ close: [] }>();
const text = computed(() => (props.request ? JSON.stringify(props.request.body, null, 2) : ""));

</script>

<template>
  <SheetDialog :open="open" title="Exact request" width="860px" @close="$emit('close')">
    <p v-if="error" class="text-rust" role="alert">{{ error }}</p>
    <p v-else-if="!request" class="text-ink-3">Building it…</p>
    <template v-else>
      <TokenBar :request="request" />
      <div class="mb-2 flex items-baseline gap-4">
        <span class="min-w-0 flex-1 truncate font-mono text-sm text-ink-2">POST {{ request.address }}</span>
        <span class="caption">Copy as</span>
        <button type="button" class="link shrink-0" data-test="copy-json" @click="copy('The JSON', text)">JSON</button>
        <button type="button" class="link shrink-0" data-test="copy-curl" @click="copy('The command', asCurl(request))">curl</button>
        <button type="button" class="link shrink-0" data-test="copy-python" @click="copy('The program', asPython(request))">Python</button>
      </div>
      <pre
        class="max-h-[44vh] overflow-auto border border-rule bg-white p-3 font-mono text-sm whitespace-pre-wrap"
        tabindex="0"
        data-test="request-json"
        >{{ text }}</pre
      >
    </template>
  </SheetDialog>
</template>
