<script setup lang="ts">
/** Versions of a chain: what the draft, or a version, has otherwise than another; one brought back. */
import { computed, ref, watch } from "vue";

import { api, got, messageOf } from "@/api/client";
import { useVersions } from "@/api/subjects";
import type { Chain } from "@/api/schema";
import CompareRows from "@/draft/versions/CompareRows.vue";
import { complain } from "@/frame/notices";
import { when } from "@/marks/format";
import { copied } from "@/parts/values";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; name: string; draft: Chain }>();
const emit = defineEmits<{ close: []; bring: [content: Chain] }>();
const versions = useVersions(computed(() => props.name));
const list = computed(() => versions.data.value ?? []);
const chosen = ref<number | null>(null);
const content = ref<Chain | null>(null);
watch(list, (all) => (chosen.value ??= all[0]?.number ?? null), { immediate: true });
watch(
  chosen,
  async (number) => {
    content.value = null;
    if (number === null) return;
    try {
      const found = await got(api.GET("/api/v1/subjects/{name}/chain/versions/{number}", { params: { path: { name: props.name, number } } }));
      if (chosen.value === number) content.value = found.content;
    } catch (wrong) {
      complain(messageOf(wrong));
    }
  },
  { immediate: true },
);
</script>

<template>
  <SheetDialog :open="open" title="Versions" width="860px" @close="emit('close')">
    <p v-if="!list.length" class="text-ink-2">No version yet. Save the draft as v1; trials compare versions.</p>
    <div v-else class="grid grid-cols-[220px_1fr] gap-4">
      <ul class="max-h-[60vh] overflow-auto">
        <li v-for="line in list" :key="line.number">
          <button type="button" class="w-full border-b border-rule-soft px-2 py-1.5 text-left" :class="line.number === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'" :aria-pressed="line.number === chosen" @click="chosen = line.number">
            <b class="font-mono text-sm">v{{ line.number }}</b> <span class="caption">{{ when(line.created_at) }} {{ line.saved_by }}</span>
            <span class="block truncate text-sm">{{ line.note || "no note" }}</span>
          </button>
        </li>
      </ul>
      <div v-if="content" class="min-w-0">
        <p class="mb-2 flex items-center gap-3"><span class="flex-1 text-ink-2">What the draft has otherwise than v{{ chosen }}</span><button type="button" class="button" data-test="bring-version" @click="emit('bring', copied(content))">Bring v{{ chosen }} back</button></p>
        <div class="max-h-[55vh] overflow-auto" tabindex="0" role="group" aria-label="Differences"><CompareRows :before="content" :after="draft" /></div>
      </div>
      <p v-else class="text-ink-2">Looking…</p>
    </div>
  </SheetDialog>
</template>
