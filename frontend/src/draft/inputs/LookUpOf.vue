<script setup lang="ts">
/** Where the passages of an input come from: given by the case, or looked up in a collection. */
import { computed } from "vue";
import { RouterLink } from "vue-router";

import { useCollections } from "@/api/knowledge";
import type { LookingUp } from "@/api/schema";
import LookUpSettings from "@/knowledge/LookUpSettings.vue";

const props = defineProps<{ name: string; looking: LookingUp | null; inputs: string[] }>();
const emit = defineEmits<{ change: [looking: LookingUp | null] }>();
const collections = useCollections();
const all = computed(() => collections.data.value?.collections ?? []);
const chosen = computed(() => all.value.find((each) => each.name === props.looking?.collection) ?? null);

function choose(event: Event): void {
  const collection = (event.target as HTMLSelectElement).value;
  emit("change", collection ? { ...props.looking, collection, version: null } : null);
}
const set = (more: Partial<LookingUp>) => props.looking && emit("change", { ...props.looking, ...more });
</script>

<template>
  <div class="mt-1 flex flex-col gap-1.5" data-test="look-up-of">
    <div class="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-sm">
      <select class="field h-7 min-w-0 px-1 text-sm" :value="looking?.collection ?? ''" :aria-label="`Where ${name} come from`" data-test="look-up-in" @change="choose">
        <option value="">given by each case or try</option>
        <option v-for="each in all" :key="each.name" :value="each.name">looked up in {{ each.name }}</option>
        <option v-if="looking && !chosen" :value="looking.collection">looked up in {{ looking.collection }} (not there)</option>
      </select>
      <template v-if="looking">
        <label class="flex items-center gap-1.5"
          ><span>by</span>
          <select class="field h-7 px-1 text-sm" :value="looking.question ?? ''" aria-label="The question" data-test="look-up-question" @change="set({ question: ($event.target as HTMLSelectElement).value })">
            <option value="">what was said last</option>
            <option v-for="input in inputs" :key="input" :value="input">{{ input }}</option>
          </select>
        </label>
        <select class="field h-7 px-1 text-sm" :value="looking.version ?? ''" aria-label="Version of the collection" data-test="look-up-version" @change="set({ version: Number(($event.target as HTMLSelectElement).value) || null })">
          <option value="">its newest version{{ chosen ? `, now ${chosen.version}` : "" }}</option>
          <option v-for="number in chosen?.version ?? 0" :key="number" :value="number">version {{ number }} for good</option>
        </select>
        <RouterLink v-if="chosen" :to="{ name: 'knowledge', params: { collection: chosen.name } }" class="link">read it</RouterLink>
      </template>
    </div>
    <LookUpSettings v-if="looking" :model-value="looking" :can-mean="!!chosen?.embeds_with" @update:model-value="emit('change', $event)" />
    <p v-if="looking" class="caption">A case that gives {{ name }} itself keeps its own.</p>
  </div>
</template>
