<script setup lang="ts">
/** How the chosen arm fared on the cases of each tag, losses first: where to look, not a test. */
import { computed, toRef } from "vue";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useLook } from "./look";
import { useTagResults } from "@/api/trials";
import { points } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; trial: number; arm: number | null; baseline: number; measure: number | null; names: string[]; of: string }>();
defineEmits<{ close: [] }>();
const found = useTagResults(toRef(props, "trial"), computed(() => (props.open ? props.arm : null)), toRef(props, "baseline"), toRef(props, "measure"), useLook());
const tags = computed(() => found.data.value?.tags ?? []);
const reach = computed(() => Math.max(10, ...tags.value.map((each) => Math.abs(each.difference))));
const bar = (difference: number) => {
  const width = (50 * Math.abs(difference)) / reach.value;
  return { left: `${difference < 0 ? 50 - width : 50}%`, width: `${width}%` };
};
</script>

<template>
  <SheetDialog :open="open" :title="`By tag: ${of}`" width="720px" @close="$emit('close')">
    <p class="mb-3 text-ink-2">
      {{ names[arm ?? 0] }} against {{ names[baseline] }}. These are looks, not tests: among many tags some differ by chance.
    </p>
    <p v-if="faultOf(found)" class="text-rust" role="alert">{{ messageOf(faultOf(found)) }}</p>
    <p v-else-if="found.isPending.value" class="text-ink-2">Looking…</p>
    <p v-else-if="tags.length === 0" class="text-ink-2">No tag has two cases that both arms answered. Tags are given under Cases.</p>
    <table v-else class="w-full" data-test="by-tag">
      <thead class="text-left text-xs text-ink-2">
        <tr>
          <th class="py-1 font-medium">tag</th>
          <th class="text-right font-medium">cases</th>
          <th class="text-right font-medium text-slate">{{ names[baseline] }}</th>
          <th class="text-right font-medium text-kelp">{{ names[arm ?? 0] }}</th>
          <th class="w-50"></th>
          <th class="text-right font-medium">points</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in tags" :key="each.tag" class="border-t border-rule-soft">
          <td class="max-w-45 truncate py-1.25">{{ each.tag }}</td>
          <td class="text-right font-mono text-sm">{{ each.cases }}</td>
          <td class="text-right font-mono text-sm">{{ each.baseline_rate.toFixed(0) }}%</td>
          <td class="text-right font-mono text-sm">{{ each.rate.toFixed(0) }}%</td>
          <td class="px-4">
            <span class="relative block h-3 border-x border-rule-soft">
              <span class="absolute inset-y-[-2px] left-1/2 w-px bg-slate"></span>
              <span class="absolute inset-y-[2px]" :class="each.difference < 0 ? 'bg-rust' : 'bg-kelp'" :style="bar(each.difference)"></span>
            </span>
          </td>
          <td class="text-right font-mono text-sm">{{ points(each.difference) }}</td>
        </tr>
      </tbody>
    </table>
  </SheetDialog>
</template>
