<script setup lang="ts">
/** The checks in use, as sentences one reads: options and margins are changed in place, further ones added by words. */
import { computed, ref } from "vue";

import type { CheckKind, CheckUse, TrustShape } from "@/api/schema";
import OptionsForm from "@/parts/OptionsForm.vue";
import TypedField from "@/parts/TypedField.vue";
import { copied } from "@/parts/values";
import AddCheck from "./AddCheck.vue";
import { freeId } from "./ids";
import JudgeTrust from "./JudgeTrust.vue";
import UseForm from "./UseForm.vue";

const props = defineProps<{
  kinds: CheckKind[];
  wrong: string | null;
  /** Of each use what it asks of every answer, and why it can't be had: as the server says. */
  sentences?: string[][];
  faults?: string[];
  /** Of each use what is known of its judge; null for a plain check. */
  trust?: (TrustShape | null)[];
  /** The steps of a chain, any of which may be looked at in the place of its answer. */
  steps?: string[];
}>();
const checks = defineModel<CheckUse[]>({ required: true });
/** The use that is looked at. */
const chosen = defineModel<number | null>("chosen", { default: null });
const opened = ref<number | null>(null);

const kindOf = (use: CheckUse) => props.kinds.find((kind) => kind.key === use.check);
const rows = computed(() => checks.value.map((use, at) => ({ use, at, kind: kindOf(use), told: toldOf(use, at) })));
function toldOf(use: CheckUse, at: number): string {
  if (use.name && (props.sentences?.[at]?.length ?? 0) < 2) return use.name;
  const said = props.sentences?.[at];
  return (said?.length ? said : (kindOf(use)?.aspects ?? [use.check])).join(" · ");
}
const hasOptions = (kind: CheckKind | undefined) => Object.keys((kind?.options.properties as object | undefined) ?? {}).length > 0;

function add(kind: CheckKind): void {
  const at = checks.value.length;
  // Judges of one prompt are mostly one model.
  const model = kind.asks ? checks.value.map((use) => use.options?.model).find((each) => typeof each === "string" && each) : undefined;
  checks.value = [...checks.value, { check: kind.key, options: model ? { model } : {}, margin: 2, id: freeId(checks.value, kind.key) }];
  chosen.value = at;
  opened.value = hasOptions(kind) ? at : null;
}
function remove(at: number): void {
  checks.value = checks.value.filter((_, each) => each !== at);
  chosen.value = opened.value = null;
}
/** The same check once more: with other options it is a measure of its own. */
function again(at: number): void {
  const more = { ...copied(checks.value[at]!), id: freeId(checks.value, checks.value[at]!.check) };
  checks.value = [...checks.value.slice(0, at + 1), more, ...checks.value.slice(at + 1)];
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
        :key="`${use.check} ${use.id ?? ''} ${at}`"
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
            {{ told }}<span v-if="use.required === false" class="caption"> · not required</span>
            <span v-if="trust?.[at] && !trust[at]!.trusted && !faults?.[at]" class="caption text-straw"> · not to be trusted yet</span>
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
        <p v-if="faults?.[at] && opened !== at" class="text-sm text-rust" role="alert" data-test="check-fault">{{ faults[at] }}</p>
        <div v-if="opened === at" class="pt-1 pb-1">
          <p class="caption">{{ kind?.summary }}</p>
          <OptionsForm v-if="kind && hasOptions(kind)" class="py-2" :schema="kind.options" :model-value="use.options ?? {}" @update:model-value="change(at, { options: $event })" />
          <p v-if="faults?.[at]" class="pb-2 text-sm text-rust" role="alert" data-test="check-fault">{{ faults[at] }}</p>
          <JudgeTrust v-if="trust?.[at] && !faults?.[at]" :use="use" :trust="trust[at]!" />
          <UseForm v-if="kind" :use="use" :kind="kind" :steps="steps ?? []" @change="change(at, $event)" />
          <button
            v-if="hasOptions(kind)"
            type="button"
            class="link mt-2 text-sm"
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
