<script setup lang="ts">
/** Plain checks of a value, with their options. */
import { computed } from "vue";

import { useCheckKinds } from "@/api/checks";
import type { CheckUse } from "@/api/schema";
import AddCheck from "@/checks/AddCheck.vue";
import OptionsForm from "@/parts/OptionsForm.vue";

const checks = defineModel<CheckUse[]>({ required: true });
const kinds = useCheckKinds();
const plain = computed(() => (kinds.data.value?.kinds ?? []).filter(({ asks }) => !asks));
const kindOf = (use: CheckUse) => plain.value.find(({ key }) => key === use.check);
const put = (at: number, more: Partial<CheckUse>) => (checks.value = checks.value.map((each, i) => (i === at ? { ...each, ...more } : each)));
</script>

<template>
  <div v-for="(use, i) in checks" :key="i" class="border-t border-rule-soft pt-2" data-test="step-check">
    <p class="flex items-baseline gap-3"><b class="min-w-0 flex-1 truncate font-medium">{{ kindOf(use)?.summary ?? use.check }}</b><button v-if="checks.length > 1" type="button" class="link text-xs" @click="checks = checks.filter((_, other) => other !== i)">remove</button></p>
    <OptionsForm v-if="kindOf(use)" :model-value="use.options ?? {}" :schema="kindOf(use)!.options" @update:model-value="put(i, { options: $event })" />
  </div>
  <AddCheck v-if="plain.length" :kinds="plain" @add="checks = [...checks, { check: $event.key, options: {} }]" />
</template>
