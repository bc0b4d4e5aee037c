<script setup lang="ts">
/** Every arm that met a case, the newest trial first: its answers as a strip, and what failed; a click leads to them. */
import { computed } from "vue";

import { useFared } from "@/api/cases";
import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import type { MetShape } from "@/api/schema";
import { when } from "@/marks/format";
import TickStrip from "@/marks/TickStrip.vue";
import { marksOf } from "../list/strips";

const props = defineProps<{ name: string; number: number; heldOut: boolean }>();
const fared = useFared(computed(() => props.name), computed(() => props.number));
const trials = computed(() => {
  const found = new Map<number, MetShape[]>();
  for (const met of fared.data.value?.met ?? []) found.set(met.trial, [...(found.get(met.trial) ?? []), met]);
  return [...found];
});
const failed = (met: MetShape) => (met.failed.length > 2 ? `${met.failed.slice(0, 2).join("; ")}; and ${met.failed.length - 2} more` : met.failed.join("; "));
</script>

<template>
  <section aria-label="How it has fared" data-test="fared">
    <h3 class="caption border-b border-rule-soft pb-1">How it has fared</h3>
    <p v-if="faultOf(fared)" class="py-1 text-rust" role="alert">{{ messageOf(faultOf(fared)) }}</p>
    <div v-else-if="fared.isPending.value" class="mt-2 h-12 bg-paper" role="status" aria-label="Loading"></div>
    <p v-else-if="!trials.length" class="py-1 text-ink-2">{{ heldOut ? "It is held out: what trials found of it is out of sight, until somebody looks in a verdict." : "No trial has asked it yet." }}</p>
    <div v-for="[trial, arms] in trials" :key="trial" class="border-b border-rule-soft py-1">
      <p class="caption">T{{ trial }} · {{ when(arms[0]!.created_at) }}<template v-if="!arms[0]!.as_now"> · <span class="text-straw">the case was changed since</span></template></p>
      <RouterLink
        v-for="met in arms"
        :key="met.arm"
        class="grid grid-cols-[minmax(100px,140px)_auto_1fr] items-center gap-x-3 py-0.5 hover:bg-paper"
        :to="{ name: 'verdict', params: { name, id: trial }, query: { case: number, ...(met.arm ? { arm: met.arm } : {}) } }"
        data-test="met"
      >
        <span class="truncate" :title="met.name">{{ met.name }}</span>
        <TickStrip :marks="marksOf(met.letters)" />
        <span class="truncate text-sm text-rust" :title="met.failed.join('\n')">{{ failed(met) }}</span>
        <span v-if="met.answer" class="col-span-3 line-clamp-2 border-l-2 border-rule pl-2 font-serif text-base text-ink-2">{{ met.answer }}</span>
      </RouterLink>
    </div>
  </section>
</template>
