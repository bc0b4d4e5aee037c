<script setup lang="ts">
/** The checks in use, as sentences one reads: options and margins are changed in place, further ones added by words. */
import { computed, ref } from "vue";

import type { CheckKind, CheckUse } from "@/api/schema";
import OptionsForm from "@/parts/OptionsForm.vue";
import TypedField from "@/parts/TypedField.vue";
import { copied } from "@/parts/values";
import AddCheck from "./AddCheck.vue";

const props = defineProps<{
  kinds: CheckKind[];
  wrong: string | null;
  /** Of each use what it asks of every answer, and why it can't be had: as the server says. */
  sentences?: string[][];
  faults?: string[];
}>();
const checks = defineModel<CheckUse[]>({ required: true });
/** The use that is looked at. */
const chosen = defineModel<number | null>("chosen", { default: null });
const opened = ref<number | null>(null);

const kindOf = (use: CheckUse) => props.kinds.find((kind) => kind.key === use.check);
const rows = computed(() => checks.value.map((use, at) => ({ use, at, kind: kindOf(use), told: toldOf(use, at) })));
function toldOf(use: CheckUse, at: number): string {
  const said = props.sentences?.[at];
  return (said?.length ? said : (kindOf(use)?.aspects ?? [use.check])).join(" · ");
}
const hasOptions = (kind: CheckKind | undefined) => Object.keys((kind?.options.properties as object | undefined) ?? {}).length > 0;

function add(kind: CheckKind): void {
  const at = checks.value.length;
  checks.value = [...checks.value, { check: kind.key, options: {}, margin: 2 }];
  chosen.value = at;
  opened.value = hasOptions(kind) ? at : null;
}
function remove(at: number): void {
  checks.value = checks.value.filter((_, each) => each !== at);
  chosen.value = opened.value = null;
}
/** The same check once more: with other options it is a measure of its own. */
function again(at: number): void {
  checks.value = [...checks.value.slice(0, at + 1), { ...copied(checks.value[at]!) }, ...checks.value.slice(at + 1)];
  chosen.value = opened.value = at + 1;
}
function change(at: number, edit: Partial<CheckUse>): void {
  checks.value = checks.value.map((use, each) => (each === at ? { ...use, ...edit } : use));
}
function look(at: number): void {
  chosen.value = at;
  opened.value = opened.value === at ? null : at;
}
</script>

<template>
  <div>
    <ul>
      <li
        v-for="{ use, at, kind, told } in rows"
        :key="`${use.check} ${at}`"
        class="border-b border-rule-soft py-line"
        :class="{ 'bg-rust-wash': wrong?.startsWith(`checks.${at}`), 'bg-kelp-wash': chosen === at && opened !== at }"
        data-test="check-row"
      >
        <div class="flex items-center gap-2">
          <button
            type="button"
            class="min-w-0 flex-1 truncate text-left"
            :class="chosen === at ? 'font-semibold' : ''"
            :title="kind?.summary"
            :aria-expanded="opened === at"
            :data-test="`check-${use.check}`"
            @click="look(at)"
          >
            {{ told }}
          </button>
          <label class="caption flex items-center gap-1 whitespace-nowrap" title="A difference this small does not matter to you">
            same within
            <TypedField
              class="field h-6 w-12 px-1 font-mono text-sm text-ink"
              type="number"
              min="0"
              max="100"
              step="0.5"
              :model-value="use.margin"
              @update:model-value="change(at, { margin: Number($event) })"
            />
            points
          </label>
          <button type="button" class="link text-xs" :data-test="`remove-${use.check}`" :aria-label="`Leave out: ${told}`" @click="remove(at)">leave out</button>
        </div>
        <p v-if="faults?.[at]" class="text-sm text-rust" role="alert" data-test="check-fault">{{ faults[at] }}</p>
        <div v-if="opened === at" class="pt-1 pb-1">
          <p class="caption">{{ kind?.summary }}</p>
          <OptionsForm v-if="kind && hasOptions(kind)" class="py-2" :schema="kind.options" :model-value="use.options ?? {}" @update:model-value="change(at, { options: $event })" />
          <button
            v-if="hasOptions(kind)"
            type="button"
            class="link text-sm"
            title="Used twice it needs other options, and makes two rows of evidence"
            @click="again(at)"
          >
            Use it once more
          </button>
        </div>
      </li>
    </ul>
    <p v-if="checks.length === 0" class="py-2 text-ink-2">No check yet: an answer is then neither right nor wrong.</p>
    <AddCheck class="mt-2" :kinds="kinds" @add="add" />
  </div>
</template>
