<script setup lang="ts">
/** What a use of a check is besides its options: its name, how much it counts, and what is done when it fails. */
import { computed } from "vue";

import type { CheckKind, CheckUse } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";

const props = defineProps<{ use: CheckUse; kind: CheckKind; steps: string[] }>();
const emit = defineEmits<{ change: [edit: Partial<CheckUse>] }>();

const FAILING = {
  record: "record it, no more",
  ask_again: "ask again, with what failed",
  repair: "mend it",
  drop: "leave the answer out",
  decline: "answer with this instead",
  halt: "stop the chain",
} as const;
const choices = computed(() => (Object.keys(FAILING) as (keyof typeof FAILING)[]).filter((each) => each !== "repair" || props.kind.repairs));
const number = (text: string, usual: number) => (text.trim() === "" || !Number.isFinite(Number(text)) ? usual : Math.max(0, Number(text)));
</script>

<template>
  <div class="grid grid-cols-2 gap-x-4 gap-y-2 border-t border-rule-soft pt-2" data-test="use-form">
    <label class="flex min-w-0 flex-col gap-1">
      Its name, if its sentence won’t do
      <TypedField class="field" maxlength="80" :model-value="use.name ?? ''" data-test="use-name" @update:model-value="emit('change', { name: $event })" />
    </label>
    <label class="flex min-w-0 flex-col gap-1">
      When it fails in a chain
      <select
        class="field px-1"
        :value="use.on_failure ?? 'record'"
        data-test="use-on-failure"
        @change="emit('change', { on_failure: ($event.target as HTMLSelectElement).value as CheckUse['on_failure'] })"
      >
        <option v-for="each in choices" :key="each" :value="each">{{ FAILING[each] }}</option>
      </select>
    </label>
    <label v-if="steps.length || use.step" class="col-span-2 flex min-w-0 items-center gap-2">
      It looks at
      <select class="field max-w-80 px-1" :value="use.step ?? ''" data-test="use-step" @change="emit('change', { step: ($event.target as HTMLSelectElement).value })">
        <option value="">the answer</option>
        <option v-if="use.step && !steps.includes(use.step)" :value="use.step">what “{{ use.step }}” wrote (no step of the draft)</option>
        <option v-for="each in steps" :key="each" :value="each">what “{{ each }}” wrote</option>
      </select>
    </label>
    <label v-if="use.on_failure === 'decline'" class="col-span-2 flex min-w-0 flex-col gap-1">
      Answer instead
      <TypedField lines class="field" :model-value="use.decline_with ?? ''" data-test="use-decline" @update:model-value="emit('change', { decline_with: $event })" />
    </label>
    <label class="flex items-center gap-2">
      <input
        type="checkbox"
        class="size-3.75 accent-kelp"
        :checked="use.required ?? true"
        data-test="use-required"
        @change="emit('change', { required: ($event.target as HTMLInputElement).checked })"
      />
      Required: an answer that fails it fails
    </label>
    <label class="flex items-center gap-2" title="What it counts in the weighted score of all checks">
      Weight
      <TypedField
        class="field h-6 w-16 px-1 font-mono text-sm"
        type="number"
        min="0"
        max="100"
        step="any"
        :model-value="use.weight ?? 1"
        data-test="use-weight"
        @update:model-value="emit('change', { weight: number($event, 1) })"
      />
    </label>
    <label v-if="kind.scored" class="flex items-center gap-2" title="A difference of scores this small does not matter to you">
      Scores the same within
      <TypedField
        class="field h-6 w-16 px-1 font-mono text-sm"
        type="number"
        min="0"
        step="any"
        placeholder="usual"
        :model-value="use.score_margin ?? ''"
        data-test="use-score-margin"
        @update:model-value="emit('change', { score_margin: $event.trim() === '' ? null : number($event, 0) })"
      />
    </label>
  </div>
</template>
