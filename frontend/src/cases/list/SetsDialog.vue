<script setup lang="ts">
/** Named sets of cases: all that a filter finds, also what comes later, or cases chosen by hand. */
import { computed, ref, watch } from "vue";

import { useCaseChanges, useCaseSets } from "@/api/cases";
import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import type { CaseSetShape } from "@/api/schema";
import { say } from "@/frame/notices";
import { count } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean; name: string; find: string; chosen: Set<number> }>();
const emit = defineEmits<{ close: []; narrow: [find: string] }>();
const sets = useCaseSets(computed(() => props.name));
const changes = useCaseChanges(() => props.name);
const title = ref("");
const error = ref("");
const numbers = computed(() => (props.chosen.size ? [...props.chosen].sort((a, b) => a - b) : null));
const makes = computed(() => (numbers.value ? `the ${count(numbers.value.length, "case")} chosen` : props.find ? `all that “${props.find}” finds, also later` : ""));
const anew = computed(() => sets.data.value?.sets.some((each) => each.name === title.value.trim()));
watch(() => props.open, () => ([title.value, error.value] = ["", ""]));

const term = (set: string) => `set:${/\s/.test(set) ? `"${set}"` : set}`;
async function keep(): Promise<void> {
  const name = title.value.trim();
  if (!name || !makes.value) return;
  try {
    await changes.putSet(name, props.find, numbers.value);
    say(`“${name}” is a set of cases now.`);
    title.value = "";
  } catch (wrong) {
    error.value = messageOf(wrong);
  }
}
async function remove(set: CaseSetShape): Promise<void> {
  try {
    await changes.removeSet(set.name);
    if (!set.by_hand) say(`The set “${set.name}” is removed; its cases stay.`, () => void changes.putSet(set.name, set.find, null));
    else say(`The set “${set.name}” is removed; its cases stay.`);
  } catch (wrong) {
    error.value = messageOf(wrong);
  }
}
</script>

<template>
  <SheetDialog :open="open" title="Sets of cases" width="560px" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="keep">
      <p v-if="faultOf(sets)" class="text-rust" role="alert">{{ messageOf(faultOf(sets)) }}</p>
      <div v-if="makes" class="flex items-end gap-3">
        <label class="flex min-w-0 flex-1 flex-col gap-1"><span class="truncate">Keep {{ makes }}, as</span><input v-model="title" class="field" maxlength="80" placeholder="e.g. smoke" data-test="set-name" /></label>
        <button type="submit" class="button button-main" :disabled="!title.trim()" data-test="keep-set">{{ anew ? "Make it anew" : "Keep the set" }}</button>
      </div>
      <p v-else class="text-ink-2">To make a set, narrow the list, or choose some cases in it.</p>
      <p v-if="error" class="text-rust" role="alert">{{ error }}</p>
      <ul class="max-h-80 overflow-auto border-t border-rule">
        <li v-for="set in sets.data.value?.sets" :key="set.name" class="flex items-baseline gap-3 border-b border-rule-soft py-1" data-test="case-set">
          <button type="button" class="link min-w-0 truncate" @click="emit('narrow', term(set.name)); emit('close')">{{ set.name }}</button>
          <span class="caption min-w-0 flex-1 truncate">{{ count(set.cases, "case") }}, {{ set.by_hand ? "chosen by hand" : set.find }}</span>
          <button type="button" class="link text-sm" :aria-label="`Remove the set ${set.name}`" @click="remove(set)">remove</button>
        </li>
        <li v-if="sets.data.value && !sets.data.value.sets.length" class="caption py-2">None yet.</li>
      </ul>
    </form>
  </SheetDialog>
</template>
