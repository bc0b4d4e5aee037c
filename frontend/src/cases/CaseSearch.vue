<script setup lang="ts">
/** Choose a case by typing what it says: a few are offered, however many there are. */
import { Combobox, ComboboxButton, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/vue";
import { computed, nextTick, ref, useTemplateRef } from "vue";

import { faultOf } from "@/api/fault";
import { useFoundCases } from "@/api/cases";
import type { CaseEntry } from "@/api/schema";
import { count } from "@/marks/format";

const OFFERED = 12;
const props = defineProps<{
  name: string;
  /** What stands in the box while nothing is typed. */
  shown: string;
  placeholder: string;
  label: string;
  test: string;
  /** The words of a choice that is no case, such as a text of one's own; none without. */
  none?: string;
}>();
const emit = defineEmits<{ choose: [number: number | null] }>();
const typed = ref("");
/** While one types here, what is chosen meanwhile does not touch the box. */
const focused = ref(false);
const open = ref(false);
const found = useFoundCases(computed(() => props.name), typed, OFFERED, open);
const cases = computed(() => found.data.value?.cases ?? []);
const more = computed(() => (found.data.value ? found.data.value.found - cases.value.length : 0));

const opener = useTemplateRef<{ el: HTMLElement | null }>("opener");
/** What can be chosen is shown at once. */
async function focusIn(isOpen: boolean): Promise<void> {
  open.value = focused.value = true;
  await nextTick();
  if (!isOpen) opener.value?.el?.click();
}

function take(choice: CaseEntry | "none" | null): void {
  typed.value = "";
  if (choice !== null) emit("choose", choice === "none" ? null : choice.number);
}
</script>

<template>
  <Combobox v-slot="{ open: isOpen }" :model-value="null" nullable as="div" class="relative min-w-0" @update:model-value="take">
    <ComboboxInput
      class="field w-full truncate"
      :display-value="() => (focused ? typed : shown)"
      :placeholder="focused && shown ? `${shown}: type words of another` : placeholder"
      :aria-label="label"
      :data-test="test"
      autocomplete="off"
      spellcheck="false"
      @focus="focusIn(isOpen)"
      @change="typed = ($event.target as HTMLInputElement).value"
      @blur="(typed = ''), (focused = false)"
    />
    <ComboboxButton ref="opener" class="sr-only" tabindex="-1" aria-hidden="true" />
    <ComboboxOptions
      class="absolute inset-x-0 top-full z-20 mt-1 max-h-82.5 min-w-80 overflow-auto border border-ink-3 bg-sheet py-1"
      :data-test="`${test}-options`"
    >
      <ComboboxOption v-if="none && !typed" v-slot="{ active }" value="none" as="template">
        <li class="px-3 py-1.25" :class="active ? 'bg-kelp-wash' : ''" data-test="no-case">{{ none }}</li>
      </ComboboxOption>
      <ComboboxOption v-for="each in cases" :key="each.number" v-slot="{ active }" :value="each" as="template">
        <li class="grid grid-cols-[34px_1fr_auto] gap-x-2 px-3 py-1.25" :class="active ? 'bg-kelp-wash' : ''" :data-test="`case-${each.number}`">
          <span class="font-mono text-sm text-ink-2">{{ each.number }}</span>
          <span class="truncate">{{ each.title }}</span>
          <span class="font-mono text-xs text-ink-2">{{ each.label }}</span>
        </li>
      </ComboboxOption>
      <li v-if="faultOf(found)" class="px-3 py-1.25 text-rust">The cases can’t be looked through at the moment.</li>
      <li v-else-if="found.data.value && !cases.length" class="px-3 py-1.25 text-ink-2">
        {{ typed ? `No case has “${typed}” in it.` : "No cases are kept yet." }}
      </li>
      <li v-else-if="more > 0" class="caption px-3 pt-1.25">{{ count(more, "more case") }}: type words of one to find it.</li>
    </ComboboxOptions>
  </Combobox>
</template>
