<script setup lang="ts">
/** The exact requests of a step, and the replies as they came. */
import { computed, ref, watch } from "vue";

import type { CallShape } from "@/api/schema";
import { cents, duration } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; name: string; calls: CallShape[]; pending: boolean }>();
defineEmits<{ close: [] }>();
const at = ref(0);
const call = computed(() => props.calls[at.value]);
watch(() => props.open, () => (at.value = 0));
function tidy(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
</script>

<template>
  <SheetDialog :open="open" :title="`What ${name} sent, and the replies as they came`" width="760px" @close="$emit('close')">
    <p v-if="pending" class="text-ink-2">Looking…</p>
    <p v-else-if="!calls.length" class="text-ink-2">Nothing was sent.</p>
    <div v-if="calls.length > 1" class="mb-3 flex flex-wrap gap-1" role="tablist" aria-label="Calls">
      <button v-for="(call, index) in calls" :key="index" type="button" role="tab" class="button" :class="index === at ? 'border-kelp text-kelp' : ''" :aria-selected="index === at" @click="at = index">{{ call.purpose === "tool" ? "tool" : `call ${index + 1}` }}</button>
    </div>
    <template v-if="call">
      <p class="caption mb-1">{{ call.model ?? "a tool" }} · {{ call.input_tokens }} + {{ call.output_tokens }} tokens · {{ duration(call.total_ms) }} · {{ cents(call.cents) }}{{ call.attempts === 0 ? " · as recorded before, not sent again" : "" }}</p>
      <p v-if="call.error" class="mb-2 text-rust">{{ call.error }}</p>
      <pre class="max-h-60 overflow-auto border border-rule bg-paper p-2 font-mono text-xs whitespace-pre-wrap" tabindex="0" aria-label="Request">{{ tidy(call.request) }}</pre>
      <p class="caption mt-2 mb-1">reply</p>
      <pre class="max-h-60 overflow-auto border border-rule bg-paper p-2 font-mono text-xs whitespace-pre-wrap" tabindex="0" aria-label="Reply">{{ tidy(call.reply ?? "(none)") }}</pre>
    </template>
  </SheetDialog>
</template>
