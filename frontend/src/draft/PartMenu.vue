<script setup lang="ts">
/** What can be done with a part, with its keys. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/vue";

defineProps<{ off: boolean; canMerge: boolean; name: string }>();
const emit = defineEmits<{ choose: [action: PartAction] }>();

export type PartAction = "off" | "split" | "merge" | "up" | "down" | "add" | "fragment" | "remove";
const ACTIONS: { action: PartAction; label: string; keys: string }[] = [
  { action: "off", label: "Switch off", keys: "Ctrl /" },
  { action: "split", label: "Split at the cursor", keys: "Alt ↵" },
  { action: "merge", label: "Merge with the part above", keys: "⌫ at its start" },
  { action: "up", label: "Move up", keys: "Alt Shift ↑" },
  { action: "down", label: "Move down", keys: "Alt Shift ↓" },
  { action: "add", label: "Add a part below", keys: "Alt N" },
  { action: "fragment", label: "Keep as a fragment…", keys: "" },
  { action: "remove", label: "Remove", keys: "" },
];
</script>

<template>
  <Menu as="div" class="relative">
    <MenuButton class="link text-xs" :aria-label="`What can be done with ${name}`" data-test="part-menu">more</MenuButton>
    <MenuItems class="panel absolute right-0 z-10 mt-1 w-63 py-1 outline-none">
      <MenuItem v-for="each in ACTIONS" :key="each.action" v-slot="{ active }" :disabled="each.action === 'merge' && !canMerge">
        <button
          type="button"
          class="flex w-full justify-between gap-4 px-3 py-1.25 text-left text-base"
          :class="[active ? 'bg-kelp-wash' : '', each.action === 'merge' && !canMerge ? 'text-ink-3' : 'text-ink']"
          :data-test="`part-${each.action}`"
          @click="emit('choose', each.action)"
        >
          <span>{{ each.action === "off" && off ? "Switch on" : each.label }}</span>
          <span class="font-mono text-xs text-ink-3">{{ each.keys }}</span>
        </button>
      </MenuItem>
    </MenuItems>
  </Menu>
</template>
