<script setup lang="ts">
/** Add a check by typing what one wants, or by looking through the library. */
import { Combobox, ComboboxButton, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/vue";
import { computed, nextTick, ref, useTemplateRef } from "vue";

import type { CheckKind } from "@/api/schema";
import { findChecks } from "./find";

const props = defineProps<{ kinds: CheckKind[] }>();
const emit = defineEmits<{ add: [kind: CheckKind] }>();
const typed = ref("");
const found = computed(() => findChecks(props.kinds, typed.value));
const opener = useTemplateRef<{ el: HTMLElement | null }>("opener");

async function open(isOpen: boolean): Promise<void> {
  await nextTick();
  if (!isOpen) opener.value?.el?.click();
}
function take(kind: CheckKind | null): void {
  typed.value = "";
  if (kind) emit("add", kind);
}
</script>

<template>
  <Combobox v-slot="{ open: isOpen }" :model-value="null" nullable as="div" class="relative" @update:model-value="take">
    <ComboboxInput
      class="field w-full"
      :display-value="() => typed"
      placeholder="Add a check: short, emoji, phone, promise …"
      aria-label="Add a check"
      data-test="add-check"
      autocomplete="off"
      spellcheck="false"
      @focus="open(isOpen)"
      @change="typed = ($event.target as HTMLInputElement).value"
      @blur="typed = ''"
    />
    <ComboboxButton ref="opener" class="sr-only" tabindex="-1" aria-hidden="true" />
    <ComboboxOptions class="absolute inset-x-0 top-full z-20 mt-1 max-h-82.5 overflow-auto border border-ink-3 bg-sheet py-1" data-test="add-check-options">
      <ComboboxOption v-for="kind in found" :key="kind.key" v-slot="{ active }" :value="kind" as="template">
        <li class="border-b border-rule-soft px-3 py-1.25 last:border-b-0" :class="active ? 'bg-kelp-wash' : ''" :data-test="`add-${kind.key}`">
          <span class="flex gap-3"
            ><span class="min-w-0 flex-1 truncate font-medium">{{ kind.aspects.join(" · ") }}</span><span class="caption">{{ kind.kind }}</span></span
          >
          <span class="caption block">{{ kind.summary }}</span>
        </li>
      </ComboboxOption>
      <li v-if="found.length === 0" class="px-3 py-1.25 text-ink-2">No check is called so. Try another word: length, tone, link, JSON …</li>
    </ComboboxOptions>
  </Combobox>
</template>
