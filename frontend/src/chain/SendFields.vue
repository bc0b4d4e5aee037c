<script setup lang="ts">
/** A web hook: where to, what is sent, and by which key it is signed. */
import { computed } from "vue";

import type { ChainFault } from "@/api/schema";
import { useServerKeys } from "@/api/models";
import TypedField from "@/parts/TypedField.vue";
import ExprRows from "./ExprRows.vue";
import type { Step } from "./steps";

type Send = Extract<Step, { kind: "send" }>;
const step = defineModel<Send>({ required: true });
const props = defineProps<{ faults: ChainFault[]; known: string[] }>();
const set = (more: Partial<Send>) => (step.value = { ...step.value, ...more });
const faultOf = (field: string) => props.faults.find((fault) => fault.field === field)?.message ?? "";
const served = useServerKeys();
const keys = computed(() => (served.data.value?.keys ?? []).filter(({ fault }) => !fault).map(({ reference }) => reference));
</script>

<template>
  <p class="text-ink-2">It is sent by POST as JSON, to an address that tools may reach. In a trial nothing goes out, and in a walk only where you let it.</p>
  <div class="grid grid-cols-[92px_1fr] items-start gap-x-3"><span class="pt-1.25">Address</span><span class="flex min-w-0 flex-col"><TypedField class="field h-7.5 w-full font-mono text-sm" spellcheck="false" :model-value="step.address" placeholder="https://crew.example/notices" aria-label="Address" data-test="send-address" @update:model-value="set({ address: $event.trim() })" /><span v-if="faultOf('address')" class="text-sm text-rust" role="alert">{{ faultOf("address") }}</span></span></div>
  <ExprRows :model-value="step.body ?? {}" label="Sends" :faults="faults" field="body" :names="known" add="another value" @update:model-value="set({ body: $event })" />
  <label class="grid grid-cols-[92px_1fr] items-center gap-x-3"
    ><span>Signed by</span>
    <span class="flex items-center gap-3"><select class="field max-w-60 px-1" :value="step.key ?? ''" aria-label="Key" data-test="send-key" @change="set({ key: ($event.target as HTMLSelectElement).value })"><option value="">no key</option><option v-if="step.key && !keys.some((each) => each === step.key)" :value="step.key">{{ step.key }}</option><option v-for="each in keys" :key="each" :value="each">{{ each }}</option></select><span class="caption">HTTP message signature, HMAC SHA-256</span></span></label
  >
</template>
