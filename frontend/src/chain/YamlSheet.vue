<script setup lang="ts">
/** The chain as YAML: the same thing as the steps, kept as it is typed, comments and all. */
import CodeEditor from "@/parts/CodeEditor.vue";
import type { useChain } from "./useChain";

const props = defineProps<{ draft: ReturnType<typeof useChain> }>();
const { facts } = props.draft;
const { content: text, theirs, settle, error } = props.draft.useYaml();
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col" data-test="yaml-sheet">
    <p v-if="theirs" class="flex items-baseline gap-4 border-b border-straw px-gut py-1.5 text-sm" role="alert" data-test="yaml-stale">
      <span class="flex-1">The chain was changed elsewhere while this was typed.</span>
      <button type="button" class="link" data-test="yaml-mine" @click="settle(text ?? theirs.yaml)">keep what is typed here</button>
      <button type="button" class="link" data-test="yaml-theirs" @click="settle(theirs.yaml)">take the other</button>
    </p>
    <p v-else-if="error" class="border-b border-rust px-gut py-1.5 text-sm text-rust" role="alert">{{ error }}</p>
    <p v-if="facts.misread" class="border-b border-rust bg-rust-wash px-gut py-1.5 text-sm text-rust" role="alert" data-test="misread">{{ facts.misreadLine ? `Line ${facts.misreadLine}: ` : "" }}{{ facts.misread }} The steps stay as they were until it can be read.</p>
    <div class="min-h-0 flex-1 overflow-auto px-gut py-2" tabindex="0" role="group" aria-label="YAML">
      <CodeEditor v-if="text !== null" v-model="text" kind="plain" label="The chain as YAML" :problem-line="facts.misreadLine" />
    </div>
  </div>
</template>
