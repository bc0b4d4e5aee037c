<script setup lang="ts">
/** The prompt as a sheet: its parts in order, the role in the gutter. */
import type { KeyBinding } from "@codemirror/view";
import { computed, nextTick, ref } from "vue";

import { useFragments } from "@/api/queries";
import type { DraftProblem, Prompt } from "@/api/schema";
import { say } from "@/frame/notices";
import TextEditor from "@/parts/TextEditor.vue";
import NewerFragments from "./fragments/NewerFragments.vue";
import PartMenu, { type PartAction } from "./PartMenu.vue";
import * as sheet from "./sheet";
import { type Place, problemOf, type Role, ROLES } from "./sheet";
import { useDrag } from "./useDrag";

const props = defineProps<{ problems: DraftProblem[]; inputs: string[] }>();
const prompt = defineModel<Prompt>({ required: true });
const emit = defineEmits<{ fragment: [place: Place] }>();
interface Editor {
  focus: (at?: number) => void;
  caret: () => number;
  insert: (text: string) => void;
}
const editors = new Map<string, Editor>();
const keyOf = ({ message, part }: Place) => `${message}.${part}`;
const lastFocused = ref<Place | null>(null);
const fragments = useFragments();

/** What can be completed: inputs found or described, and the newest version of each fragment. */
const words = computed(() => {
  const described = prompt.value.inputs ?? [];
  const names = new Set([...props.inputs, ...described.map((each) => each.name)]);
  return {
    inputs: [...names].map((name) => ({ name, about: described.find((each) => each.name === name)?.description ?? "" })),
    fragments: (fragments.data.value?.fragments ?? []).map((each) => ({
      reference: `${each.name}@${each.versions[0]?.number ?? 1}`,
      about: each.about,
    })),
  };
});

function keepEditor(place: Place, editor: unknown): void {
  if (editor) editors.set(keyOf(place), editor as Editor);
  else editors.delete(keyOf(place));
}

async function focus(place: Place, at?: number): Promise<void> {
  await nextTick();
  editors.get(keyOf(place))?.focus(at);
}

/** Change the sheet, with a way back. */
function change(told: string, how: () => void): void {
  const before = JSON.parse(JSON.stringify(prompt.value)) as Prompt;
  how();
  say(told, () => {
    prompt.value = before;
  });
}

const drag = useDrag((from, to) => {
  const name = sheet.partAt(prompt.value, from)?.name ?? "";
  if (from.message === to.message && (to.part === from.part || to.part === from.part + 1)) return;
  change(`“${name}” was moved.`, () => sheet.dropPart(prompt.value, from, to));
});
const isTarget = (message: number, part: number) => drag.over.value?.message === message && drag.over.value.part === part;

function act(action: PartAction, place: Place): boolean {
  const part = sheet.partAt(prompt.value, place);
  if (!part) return false;
  if (action === "off") part.off = !part.off;
  else if (action === "split") void focus(sheet.splitPart(prompt.value, place, editors.get(keyOf(place))?.caret() ?? 0), 0);
  else if (action === "merge") {
    const merged = sheet.mergePart(prompt.value, place);
    if (merged) void focus(merged.place, merged.at);
  } else if (action === "up") void focus(sheet.movePart(prompt.value, place, -1));
  else if (action === "down") void focus(sheet.movePart(prompt.value, place, 1));
  else if (action === "add") void focus(sheet.addPart(prompt.value, place.message, place.part));
  else if (action === "fragment") emit("fragment", place);
  else change(`“${part.name}” is gone from the draft.`, () => sheet.removePart(prompt.value, place));
  return true;
}

function keysOf(place: Place): KeyBinding[] {
  const run = (action: PartAction) => () => act(action, place);
  return [
    { key: "Mod-/", run: run("off") },
    { key: "Alt-Enter", run: run("split") },
    { key: "Alt-Backspace", run: run("merge") },
    { key: "Shift-Alt-ArrowUp", run: run("up") },
    { key: "Shift-Alt-ArrowDown", run: run("down") },
    { key: "Alt-n", run: run("add") },
  ];
}

/** Put text where the caret was last, or at the end of the first part. */
function insert(text: string): void {
  const place = lastFocused.value ?? { message: 0, part: 0 };
  editors.get(keyOf(place))?.insert(text);
}
defineExpose({ insert });

const roleColour = (role: Role) => (role === "system" ? "text-ink-3" : role === "user" ? "text-slate" : "text-kelp");
</script>

<template>
  <div class="flex flex-col py-2" data-test="sheet">
    <template v-for="(message, m) in prompt.messages" :key="m">
      <div v-if="m > 0" class="mx-4 my-1 border-t border-rule-soft" aria-hidden="true"></div>
      <section
        v-for="(part, p) in message.parts"
        :key="`${m}.${p}`"
        class="group grid grid-cols-[104px_1fr] gap-x-3 border-y-2 border-transparent py-[3px] pr-4 focus-within:bg-white"
        :class="{
          'border-t-kelp': isTarget(m, p),
          'border-b-kelp': isTarget(m, p + 1) && p === message.parts!.length - 1,
          'opacity-50': drag.from.value?.message === m && drag.from.value.part === p,
        }"
        :data-place="`${m}.${p}`"
        :data-test="`part-${m}-${p}`"
        @focusin="lastFocused = { message: m, part: p }"
      >
        <div class="flex items-start justify-end gap-1 pt-[1px] pl-1">
          <span
            class="grip opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
            title="Drag to move the part"
            :data-test="`grip-${m}-${p}`"
            @pointerdown="drag.begin($event, { message: m, part: p })"
          ></span>
          <select
            v-if="p === 0"
            v-model="message.role"
            class="w-[86px] bg-transparent font-mono text-xs"
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
            <span v-if="part.off" class="text-xs font-medium text-straw" data-test="part-is-off">off, not sent</span>
            <span
              class="flex items-baseline gap-3 text-xs opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
              :class="part.off ? 'opacity-100' : ''"
            >
              <button type="button" class="link" title="Ctrl /" data-test="part-switch" @click="part.off = !part.off">
                {{ part.off ? "on" : "off" }}
              </button>
              <PartMenu
                :off="!!part.off"
                :can-merge="p > 0"
                :name="part.name"
                @choose="act($event, { message: m, part: p })"
              />
            </span>
          </div>
          <div :class="part.off ? 'opacity-55' : ''">
            <TextEditor
              :ref="(editor) => keepEditor({ message: m, part: p }, editor)"
              :model-value="part.text ?? ''"
              :label="`Text of ${part.name}`"
              :hint="message.role === 'system' ? 'What the model should do' : 'Text, with inputs as {{ name }}'"
              :problem-line="problemOf(props.problems, { message: m, part: p })?.line"
              :words="words"
              :keys="keysOf({ message: m, part: p })"
              @update:model-value="part.text = $event"
            />
          </div>
          <NewerFragments
            :text="part.text ?? ''"
            :fragments="fragments.data.value?.fragments ?? []"
            @update="part.text = $event"
          />
          <p v-if="problemOf(problems, { message: m, part: p })" class="mt-1 text-sm text-rust" role="alert" data-test="part-problem">
            {{ problemOf(problems, { message: m, part: p })!.message }}
          </p>
        </div>
      </section>
    </template>
    <p class="mt-2 pr-4 pl-[116px] text-sm text-ink-3">
      Add a message:
      <template v-for="(role, at) in ROLES" :key="role"
        ><template v-if="at"> · </template
        ><button type="button" class="link" :data-test="`add-${role}`" @click="focus(sheet.addMessage(prompt, role))">{{ role }}</button></template
      >
    </p>
  </div>
</template>
