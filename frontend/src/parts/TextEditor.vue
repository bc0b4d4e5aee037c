<script setup lang="ts">
/** A text editor, whose code comes apart from the screen's: until it is here the text can be read. */
import { defineAsyncComponent, shallowRef, watch } from "vue";

import type { Editor, EditorProps } from "./editor";

const CodeEditor = defineAsyncComponent(() => import("./CodeEditor.vue"));
const props = defineProps<EditorProps>();
defineEmits<{ "update:modelValue": [text: string] }>();
const editor = shallowRef<Editor | null>(null);
/** What is to be done once it is here. */
let waiting: ((editor: Editor) => void) | null = null;

watch(editor, (here) => {
  if (here) waiting?.(here);
  waiting = null;
});
function later(act: (editor: Editor) => void): void {
  if (editor.value) act(editor.value);
  else waiting = act;
}
defineExpose<Editor>({
  focus: (at) => later((here) => here.focus(at)),
  caret: () => editor.value?.caret() ?? 0,
  insert: (text) => later((here) => here.insert(text)),
});
</script>

<template>
  <Suspense>
    <CodeEditor ref="editor" v-bind="props" @update:model-value="$emit('update:modelValue', $event)" />
    <template #fallback>
      <p class="min-h-5.75 px-0.5 break-words whitespace-pre-wrap" :class="kind === 'json' ? 'font-mono text-sm' : 'font-serif text-read'">{{ modelValue }}</p>
    </template>
  </Suspense>
</template>
