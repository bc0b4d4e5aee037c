<script setup lang="ts">
/** One part on the sheet. A row of its own, so that typing in it draws nothing else anew. */
import type { KeyBinding } from "@codemirror/view";
import { useTemplateRef } from "vue";

import type { DraftProblem, FragmentLine, Message, Part } from "@/api/schema";
import { count } from "@/marks/format";
import type { TemplateWords } from "@/parts/templateWords";
import TextEditor from "@/parts/TextEditor.vue";
import NewerFragments from "./fragments/NewerFragments.vue";
import PartMenu, { type PartAction } from "./PartMenu.vue";
import { type Place, type Role, ROLES } from "./sheet";

const props = defineProps<{
  message: Message;
  part: Part;
  m: number;
  p: number;
  problem: DraftProblem | undefined;
  words: TemplateWords;
  fragments: FragmentLine[];
  mark: "above" | "below" | "dragged" | null;
  /** Rules in its words that no check watches over. */
  open?: string[];
}>();
const emit = defineEmits<{ act: [action: PartAction, place: Place]; drag: [event: PointerEvent, place: Place]; focused: [place: Place] }>();
const editor = useTemplateRef<InstanceType<typeof TextEditor>>("editor");
const place = (): Place => ({ message: props.m, part: props.p });

const run = (action: PartAction) => () => {
  emit("act", action, place());
  return true;
};
const keys: KeyBinding[] = [
  { key: "Mod-/", run: run("off") },
  { key: "Alt-Enter", run: run("split") },
  // At the very start of a part; anywhere else it deletes as it does everywhere.
  { key: "Backspace", run: (view) => props.p > 0 && view.state.selection.main.empty && view.state.selection.main.head === 0 && run("merge")() },
  { key: "Shift-Alt-ArrowUp", run: run("up") },
  { key: "Shift-Alt-ArrowDown", run: run("down") },
  { key: "Alt-n", run: run("add") },
];
const roleColour = (role: Role) => (role === "system" ? "text-ink-3" : role === "user" ? "text-slate" : "text-kelp");

/** The part and its message are the draft's own: what is typed here is typed there. */
function setText(text: string): void {
  props.part.text = text;
}
defineExpose({
  focus: (at?: number) => editor.value?.focus(at),
  caret: () => editor.value?.caret() ?? 0,
  insert: (text: string) => editor.value?.insert(text),
});
</script>

<template>
  <section
    class="part-row group grid grid-cols-[86px_1fr] gap-x-3 border-y-2 border-transparent py-0.75 pr-4 focus-within:bg-white"
    :class="{ 'border-t-kelp': mark === 'above', 'border-b-kelp': mark === 'below', 'opacity-50': mark === 'dragged' }"
    :data-place="`${m}.${p}`"
    :data-test="`part-${m}-${p}`"
    @focusin="emit('focused', place())"
  >
    <div class="flex items-start justify-end gap-1 pt-0.25 pl-1">
      <span
        class="grip opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
        title="Drag to move the part"
        :data-test="`grip-${m}-${p}`"
        @pointerdown="emit('drag', $event, place())"
      ></span>
      <select
        v-if="p === 0"
        v-model="message.role"
        class="w-16.5 appearance-none bg-transparent font-mono text-xs decoration-dotted underline-offset-2 hover:underline"
        :class="roleColour(message.role)"
        style="text-align-last: right"
        :aria-label="`Role of message ${m + 1}`"
      >
        <option v-for="role in ROLES" :key="role" :value="role">{{ role }}</option>
      </select>
    </div>
    <div class="min-w-0">
      <div class="flex items-baseline gap-3">
        <input
          v-model="part.name"
          maxlength="80"
          class="min-w-0 flex-1 bg-transparent font-semibold outline-none focus:underline"
          :class="part.off ? 'text-ink-3 line-through' : ''"
          :aria-label="`Name of part ${p + 1} of message ${m + 1}`"
        />
        <RouterLink
          v-if="open?.length && !part.off"
          class="text-xs text-straw underline decoration-dotted underline-offset-2"
          :to="{ name: 'checks' }"
          :title="`No check watches over: ${open.map((words) => `“${words}”`).join(' ')}`"
          data-test="open-rules"
          >{{ count(open.length, "rule") }} without a check</RouterLink
        >
        <span v-if="part.off" class="text-xs font-medium text-straw" data-test="part-is-off">off, not sent</span>
        <span
          class="flex items-baseline gap-3 text-xs opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
          :class="part.off ? 'opacity-100' : ''"
        >
          <button type="button" class="link" title="Ctrl /" data-test="part-switch" @click="part.off = !part.off">
            {{ part.off ? "on" : "off" }}
          </button>
          <PartMenu :off="!!part.off" :can-merge="p > 0" :name="part.name" @choose="emit('act', $event, place())" />
        </span>
      </div>
      <div :class="part.off ? 'opacity-55' : ''">
        <TextEditor
          ref="editor"
          :model-value="part.text ?? ''"
          :label="`Text of ${part.name}`"
          :hint="message.role === 'system' ? 'What the model should do' : 'Text, with inputs as {{ name }}'"
          :problem-line="problem?.line"
          :words="words"
          :keys="keys"
          undone-outside
          @update:model-value="setText"
        />
      </div>
      <NewerFragments :text="part.text ?? ''" :fragments="fragments" @update="setText" />
      <p v-if="problem" class="mt-1 text-sm text-rust" role="alert" data-test="part-problem">{{ problem.message }}</p>
    </div>
  </section>
</template>
