<script setup lang="ts">
/** The trial's result in plain words. A check named in it can be chosen. */
import type { SegmentShape } from "@/api/schema";

defineProps<{ segments: SegmentShape[]; measure: number | null; small?: boolean }>();
defineEmits<{ choose: [measure: number] }>();
const COLOURS: Record<string, string> = {
  better: "font-semibold text-kelp",
  worse: "font-semibold text-rust",
  same: "font-semibold",
  unsettled: "font-semibold text-straw",
};
</script>

<template>
  <p class="max-w-240 font-serif" :class="small ? 'text-base' : 'text-say'" :data-test="small ? 'model-sentence' : 'verdict-sentence'">
    <template v-for="(segment, at) in segments" :key="at"
      ><button
        v-if="segment.kind === 'measure' && segment.measure != null"
        type="button"
        class="border-b border-dotted border-ink hover:border-solid hover:text-kelp"
        :class="{ 'text-kelp': segment.measure === measure }"
        @click="$emit('choose', segment.measure)"
        >{{ segment.text }}</button
      ><span v-else-if="segment.kind === 'number'" class="font-mono text-ink-2 whitespace-nowrap" :class="small ? 'text-sm' : 'text-base'">{{ segment.text }}</span
      ><span v-else :class="COLOURS[segment.kind]">{{ segment.text }}</span></template
    >
  </p>
</template>
