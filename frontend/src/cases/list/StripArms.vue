<script setup lang="ts">
/** The arms whose strips stand in the list, up to three beside each other. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/vue";
import { computed } from "vue";

import type { ArmOfTrial } from "@/api/schema";

const MOST = 3;
const props = defineProps<{ arms: ArmOfTrial[] }>();
const chosen = defineModel<string[]>({ required: true });
const keyOf = (arm: ArmOfTrial) => `${arm.trial}.${arm.arm}`;
const full = computed(() => chosen.value.length >= MOST);
/** In the order of the list of arms, oldest first, so that a later version stands right of an earlier one. */
function choose(keys: string[]): void {
  const order = props.arms.map(keyOf);
  const place = (key: string) => {
    const [trial, arm] = key.split(".").map(Number);
    return trial! * 1_000 + arm!;
  };
  chosen.value = keys.filter((key) => order.includes(key)).slice(-MOST).sort((a, b) => place(a) - place(b));
}
</script>

<template>
  <Listbox :model-value="chosen" multiple as="div" class="relative" @update:model-value="choose">
    <ListboxButton class="button h-slim px-2 font-normal" data-test="choose-arms">Strips: {{ chosen.length || "none" }} ▾</ListboxButton>
    <ListboxOptions class="absolute right-0 top-full z-20 mt-1 max-h-82.5 w-80 overflow-auto border border-ink-3 bg-sheet py-1 outline-none">
      <li class="caption px-3 pb-1">Up to three arms of the latest trials</li>
      <ListboxOption v-for="arm in arms" :key="keyOf(arm)" v-slot="{ active, selected }" :value="keyOf(arm)" :disabled="full && !chosen.includes(keyOf(arm))" as="template">
        <li class="flex cursor-pointer gap-2 px-3 py-1" :class="[active ? 'bg-kelp-wash' : '', full && !selected ? 'text-ink-3' : '']" :data-test="`strip-${keyOf(arm)}`">
          <span class="w-4" aria-hidden="true">{{ selected ? "✓" : "" }}</span>
          <span class="w-10 font-mono">T{{ arm.trial }}</span>
          <span class="min-w-0 flex-1 truncate" :title="arm.name">{{ arm.name }}</span>
        </li>
      </ListboxOption>
    </ListboxOptions>
  </Listbox>
</template>
