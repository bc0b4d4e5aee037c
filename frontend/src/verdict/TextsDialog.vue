<script setup lang="ts">
/** What two arms asked with: their versions' texts, with what differs marked, and their settings. */
import { computed } from "vue";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useContentOf } from "@/api/subjects";
import type { ArmShape } from "@/api/schema";
import CompareRows from "@/draft/versions/CompareRows.vue";
import SheetDialog from "@/parts/SheetDialog.vue";
import { asked, settingsInShort } from "@/trial/matrix";

const props = defineProps<{ open: boolean; name: string; arm: ArmShape; baseline: ArmShape }>();
defineEmits<{ close: [] }>();
const of = (arm: () => ArmShape) => useContentOf(() => (props.open ? { name: arm().subject || props.name, number: arm().version, chain: arm().is_chain } : null));
const older = of(() => props.baseline);
const newer = of(() => props.arm);
const wrong = computed(() => faultOf(older) ?? faultOf(newer));
const sides = computed(() => {
  const [before, after] = [older.data.value, newer.data.value];
  return before && after && before.kind === after.kind ? { before, after } : null;
});
const told = (arm: ArmShape) => [asked(arm), settingsInShort(arm.settings)].filter(Boolean).join(", ");
</script>

<template>
  <SheetDialog :open="open" :title="`${arm.name} against ${baseline.name}`" width="860px" @close="$emit('close')">
    <p v-if="wrong" class="text-rust" role="alert">{{ messageOf(wrong) }}</p>
    <template v-else>
      <p v-if="told(arm) !== told(baseline)" class="mb-2 text-ink-2">
        <span class="text-kelp">{{ told(arm) }}</span> against <span class="text-slate">{{ told(baseline) }}</span>
      </p>
      <p v-if="!!arm.is_chain !== !!baseline.is_chain" class="text-ink-2">One is a chain and the other a prompt, so their texts can’t stand beside each other.</p>
      <p v-else-if="arm.version === baseline.version && arm.subject === baseline.subject" data-test="same-text">Both ask with v{{ arm.version }}, so their texts are the same.</p>
      <div v-else class="max-h-[66vh] overflow-auto" data-test="texts"><CompareRows v-if="sides" v-bind="sides" /></div>
    </template>
  </SheetDialog>
</template>
