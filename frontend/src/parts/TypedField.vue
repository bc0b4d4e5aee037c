<script setup lang="ts">
/**
 * A field for one text or number. What is being typed in it stays as typed: a value that is tidied on its way
 * (trimmed, split at commas) is shown tidied when the field is left, and no refresh of the screen touches it before.
 * A change from elsewhere, such as an undo, is shown at once.
 */
import { nextTick, ref, useTemplateRef, watch } from "vue";

const props = defineProps<{
  modelValue: string | number | null | undefined;
  /** A box of as many lines as the text has. */
  lines?: boolean;
  /** Tell of the text when it is done, not at each key. */
  lazy?: boolean;
}>();
const emit = defineEmits<{ "update:modelValue": [text: string] }>();
const shown = () => String(props.modelValue ?? "");
const text = ref(shown());
const field = useTemplateRef<HTMLInputElement | HTMLTextAreaElement>("field");
let own = false;

watch(shown, (now) => {
  if (!own) text.value = now;
});

async function tell(): Promise<void> {
  if (text.value === shown()) return;
  own = true;
  emit("update:modelValue", text.value);
  await nextTick(); // what comes back now is what was just told
  own = false;
}
function type(event: Event): void {
  text.value = (event.target as HTMLInputElement).value;
  if (!props.lazy) void tell();
}
async function leave(): Promise<void> {
  if (props.lazy) await tell();
  text.value = shown();
}
defineExpose({ focus: () => field.value?.focus() });
</script>

<template>
  <textarea v-if="lines" ref="field" rows="1" :value="text" @input="type" @blur="leave"></textarea>
  <input v-else ref="field" :value="text" @input="type" @blur="leave" @keydown.enter="lazy && leave()" />
</template>
