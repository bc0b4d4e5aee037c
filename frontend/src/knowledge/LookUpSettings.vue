<script setup lang="ts">
/** How passages are looked up: by what, how many, and among which. */
import { computed, ref } from "vue";

import type { LookingUp } from "@/api/schema";
import { listFrom } from "@/parts/values";

const looking = defineModel<LookingUp>({ required: true });
defineProps<{ canMean: boolean }>();
const shown = ref(false);
const open = computed(() => shown.value || !!(looking.value.around || looking.value.least || looking.value.tags?.length || looking.value.since || looking.value.until));
const set = (more: Partial<LookingUp>) => (looking.value = { ...looking.value, ...more });
const number = (event: Event) => Number((event.target as HTMLInputElement).value);
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-sm">
    <select class="field h-6.5 px-1" :value="looking.method ?? 'words'" aria-label="Look up by" data-test="method" @change="set({ method: ($event.target as HTMLSelectElement).value as LookingUp['method'] })">
      <option value="words">by words</option>
      <option value="meaning" :disabled="!canMean">by meaning</option>
      <option value="both" :disabled="!canMean">by both</option>
    </select>
    <label class="flex items-center gap-1.5"><span>at most</span><input class="field h-6.5 w-13" type="number" min="1" max="50" :value="looking.most ?? 5" data-test="most" @input="set({ most: Math.min(Math.max(number($event) || 1, 1), 50) })" /></label>
    <button v-if="!open" type="button" class="link" data-test="more-look-up" @click="shown = true">more</button>
    <template v-else>
    <label class="flex items-center gap-1.5" title="Passages before and after each one that is found"><span>beside</span><input class="field h-6.5 w-11" type="number" min="0" max="3" :value="looking.around ?? 0" @input="set({ around: Math.min(Math.max(number($event) || 0, 0), 3) })" /></label>
    <label class="flex items-center gap-1.5" title="What scores less is left out"><span>least score</span><input class="field h-6.5 w-16" type="number" min="0" step="0.1" :value="looking.least ?? 0" @input="set({ least: Math.max(number($event) || 0, 0) })" /></label>
    <label class="flex items-center gap-1.5" title="Only of documents with one of these tags, commas between"><span>tags</span><input class="field h-6.5 w-24" :value="(looking.tags ?? []).join(', ')" @change="set({ tags: listFrom(($event.target as HTMLInputElement).value) })" /></label>
    <label class="flex items-center gap-1.5" title="Only of documents dated from that day on"><span>since</span><input class="field h-6.5 w-32" type="date" :value="looking.since ?? ''" data-test="since" @change="set({ since: ($event.target as HTMLInputElement).value || null })" /></label>
    <label class="flex items-center gap-1.5" title="Only of documents dated up to that day"><span>until</span><input class="field h-6.5 w-32" type="date" :value="looking.until ?? ''" data-test="until" @change="set({ until: ($event.target as HTMLInputElement).value || null })" /></label>
    </template>
  </div>
</template>
