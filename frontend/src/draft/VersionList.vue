<script setup lang="ts">
import { computed } from "vue";

import { messageOf } from "@/api/client";
import { useVersions } from "@/api/queries";
import type { VersionPage } from "@/api/schema";
import { when } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; name: string; base: number | null; edited: boolean }>();
defineEmits<{ close: []; bring: [version: VersionPage] }>();
const versions = useVersions(computed(() => props.name));
</script>

<template>
  <SheetDialog :open="open" title="Versions" width="640px" @close="$emit('close')">
    <p v-if="versions.error.value" class="text-rust">{{ messageOf(versions.error.value) }}</p>
    <p v-else-if="versions.isPending.value" class="text-ink-3">Looking…</p>
    <p v-else-if="versions.data.value?.versions.length === 0" class="text-ink-2">
      No version is saved yet. Ctrl+S saves the draft as v1.
    </p>
    <ul v-else class="max-h-[56vh] overflow-auto">
      <li
        v-for="version in versions.data.value?.versions"
        :key="version.number"
        class="grid grid-cols-[36px_1fr_64px_88px_104px] items-baseline gap-3 border-b border-rule-soft py-2 last:border-b-0"
      >
        <span class="font-mono font-medium text-kelp">v{{ version.number }}</span>
        <span class="truncate">{{ version.note || "no note" }}</span>
        <span class="caption font-mono" :title="version.content_hash">{{ version.content_hash.slice(0, 8) }}</span>
        <span class="caption text-right">{{ when(version.created_at) }}</span>
        <span v-if="version.number === base && !edited" class="caption text-right">as the draft</span>
        <button v-else type="button" class="link justify-self-end text-sm" @click="$emit('bring', version)">
          {{ version.number === base ? "undo edits" : "bring into draft" }}
        </button>
      </li>
    </ul>
  </SheetDialog>
</template>
