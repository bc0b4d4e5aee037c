<script setup lang="ts">
/** The chain as YAML: the same thing as the steps, kept as it is typed, comments and all. */
import { useDebounceFn } from "@vueuse/core";
import { ref, watch } from "vue";

import CodeEditor from "@/parts/CodeEditor.vue";

const props = defineProps<{ yaml: string; misread: string; misreadLine: number | null; busy: boolean }>();
const emit = defineEmits<{ keep: [text: string] }>();
const text = ref(props.yaml);
/** What was told last: what comes back as that is no news. */
let told = props.yaml;
const tell = useDebounceFn(() => {
  if (text.value === told) return;
  told = text.value;
  emit("keep", text.value);
}, 500);
watch(
  () => props.yaml,
  (now) => {
    if (now === told || text.value !== told) return;
    told = text.value = now;
  },
);
function type(now: string): void {
  text.value = now;
  void tell();
}
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col" data-test="yaml-sheet">
    <p v-if="misread" class="border-b border-rust bg-rust-wash px-gut py-1.5 text-sm text-rust" role="alert" data-test="misread">{{ misreadLine ? `Line ${misreadLine}: ` : "" }}{{ misread }} The steps stay as they were until it can be read.</p>
    <div class="min-h-0 flex-1 overflow-auto px-gut py-2" tabindex="0" role="group" aria-label="YAML">
      <CodeEditor kind="plain" label="The chain as YAML" :model-value="text" :problem-line="misreadLine" @update:model-value="type" />
    </div>
  </div>
</template>
