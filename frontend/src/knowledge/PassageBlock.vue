<script setup lang="ts">
/** A passage as it is read, its number in the margin; edited where it stands. */
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";

import type { PassageShape } from "@/api/schema";

const props = defineProps<{ passage: PassageShape; title: string; pointed: boolean; editing: boolean; editable: boolean }>();
const emit = defineEmits<{ edit: []; leave: []; save: [text: string] }>();
const text = ref(props.passage.text);
/** Without the title of the document, which stands over it all. */
const path = computed(() => (props.passage.path[0] === props.title ? props.passage.path.slice(1) : props.passage.path));
const field = useTemplateRef<HTMLTextAreaElement>("field");
watch(
  () => props.editing,
  async (on) => {
    if (!on) return;
    text.value = props.passage.text;
    await nextTick();
    field.value?.focus();
  },
);
/** A heading of Markdown as one reads it. */
const lines = (told: string) =>
  told.split("\n").map((line) => {
    const heading = /^(#{1,6})\s+(.*)$/.exec(line);
    return heading ? { heading: true, text: heading[2]! } : { heading: false, text: line };
  });
</script>

<template>
  <article class="group grid grid-cols-[64px_minmax(0,1fr)] gap-x-3 px-3 py-1.5" :class="pointed ? 'bg-straw-wash' : ''" :data-reference="passage.reference" data-test="passage">
    <div class="pt-1 text-right">
      <span class="font-mono text-xs text-ink-2" :title="passage.reference">#{{ passage.number }}</span>
      <button v-if="editable && !editing" type="button" class="block w-full text-right text-xs text-ink-3 group-hover:text-kelp hover:underline" :aria-label="`Edit ${passage.reference}`" data-test="edit-passage" @click="emit('edit')">edit</button>
    </div>
    <form v-if="editing" class="flex flex-col gap-2" @submit.prevent="emit('save', text)">
      <textarea ref="field" v-model="text" class="field field-sizing-content max-h-90 w-full font-serif text-read" :aria-label="`Text of ${passage.reference}`" data-test="passage-field" @keydown.esc.stop="emit('leave')" @keydown.ctrl.enter="emit('save', text)"></textarea>
      <p class="flex items-center gap-3">
        <button type="submit" class="button button-main" :disabled="text === passage.text" data-test="save-passage">{{ text.trim() ? "Save as a new version" : "Take it out" }}</button>
        <button type="button" class="button" @click="emit('leave')">Leave it</button>
        <span class="caption">Answers that had it keep what they had.</span>
      </p>
    </form>
    <div v-else class="border-l border-rule-soft pl-4">
      <p v-if="path.length" class="truncate font-semibold">{{ path.join(" › ") }}</p>
      <p class="max-w-[72ch] font-serif text-read whitespace-pre-wrap"><template v-for="(line, at) in lines(passage.text)" :key="at"><template v-if="at">{{ "\n" }}</template><b v-if="line.heading" class="font-semibold">{{ line.text }}</b><template v-else>{{ line.text }}</template></template></p>
    </div>
  </article>
</template>
