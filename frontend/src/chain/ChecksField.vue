<script setup lang="ts">
/** Plain checks of a value, with their options. */
import { computed } from "vue";

import { useCheckKinds } from "@/api/checks";
import type { CheckUse } from "@/api/schema";
import AddCheck from "@/checks/AddCheck.vue";
import TypedField from "@/parts/TypedField.vue";
import OptionsForm from "@/parts/OptionsForm.vue";

const checks = defineModel<CheckUse[]>({ required: true });
/** `acts`: each may say what is done where it fails. */
defineProps<{ acts?: boolean }>();
const kinds = useCheckKinds();
const plain = computed(() => (kinds.data.value?.kinds ?? []).filter(({ asks }) => !asks));
const kindOf = (use: CheckUse) => plain.value.find(({ key }) => key === use.check);
const put = (at: number, more: Partial<CheckUse>) => (checks.value = checks.value.map((each, i) => (i === at ? { ...each, ...more } : each)));
</script>

<template>
  <div v-for="(use, i) in checks" :key="i" class="border-t border-rule-soft pt-2" data-test="step-check">
    <p class="flex items-baseline gap-3"><b class="min-w-0 flex-1 truncate font-medium">{{ kindOf(use)?.summary ?? use.check }}</b><button v-if="checks.length > 1" type="button" class="link text-xs" @click="checks = checks.filter((_, other) => other !== i)">remove</button></p>
    <OptionsForm v-if="kindOf(use)" :model-value="use.options ?? {}" :schema="kindOf(use)!.options" @update:model-value="put(i, { options: $event })" />
    <div v-if="acts" class="mt-1 grid grid-cols-[92px_1fr] items-center gap-x-3 gap-y-1">
      <span class="caption">if this fails</span>
      <select class="field w-60 px-1" :value="use.on_failure ?? 'record'" :aria-label="`If ${use.check} fails`" data-test="use-fails" @change="put(i, { on_failure: ($event.target as HTMLSelectElement).value as CheckUse['on_failure'] })"><option value="record">as below</option><option v-if="kindOf(use)?.repairs" value="repair">mend the value</option><option value="decline">put a text in its place</option><option value="drop">leave the value out</option><option value="halt">stop the chain</option><option v-if="use.on_failure === 'ask_again'" value="ask_again">ask again</option></select>
      <template v-if="use.on_failure === 'decline'"><span class="caption">the text</span><TypedField lines class="field w-full font-serif" :model-value="use.decline_with ?? ''" aria-label="Text in its place" @update:model-value="put(i, { decline_with: $event })" /></template>
    </div>
  </div>
  <AddCheck v-if="plain.length" :kinds="plain" @add="checks = [...checks, { check: $event.key, options: {} }]" />
</template>
