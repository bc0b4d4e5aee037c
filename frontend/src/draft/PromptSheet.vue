<script setup lang="ts">
/** The prompt as a sheet: its parts in order, the role in the gutter. */
import { nextTick } from "vue";

import type { DraftProblem, Prompt } from "@/api/schema";
import { say } from "@/frame/notices";
import TextEditor from "@/parts/TextEditor.vue";
import { addMessage, addPart, movePart, type Place, problemOf, removePart, type Role, ROLES } from "./sheet";

const props = defineProps<{ problems: DraftProblem[] }>();
const prompt = defineModel<Prompt>({ required: true });
const editors = new Map<string, { focus: () => void }>();
const keyOf = ({ message, part }: Place) => `${message}.${part}`;

function keepEditor(place: Place, editor: unknown): void {
  if (editor) editors.set(keyOf(place), editor as { focus: () => void });
  else editors.delete(keyOf(place));
}

async function add(place: Place): Promise<void> {
  await nextTick();
  editors.get(keyOf(place))?.focus();
}

function remove(place: Place): void {
  const before = JSON.parse(JSON.stringify(prompt.value)) as Prompt;
  const name = prompt.value.messages![place.message]!.parts![place.part]!.name;
  removePart(prompt.value, place);
  say(`“${name}” is gone from the draft.`, () => {
    prompt.value = before;
  });
}

const roleColour = (role: Role) => (role === "system" ? "text-ink-3" : role === "user" ? "text-slate" : "text-kelp");
</script>

<template>
  <div class="flex flex-col py-2" data-test="sheet">
    <template v-for="(message, m) in prompt.messages" :key="m">
      <div v-if="m > 0" class="mx-4 my-1 border-t border-rule-soft" aria-hidden="true"></div>
      <section
        v-for="(part, p) in message.parts"
        :key="`${m}.${p}`"
        class="group grid grid-cols-[94px_1fr] gap-x-3 py-[5px] pr-4 focus-within:bg-white"
        :data-test="`part-${m}-${p}`"
      >
        <div class="pt-[1px] pl-3 text-right">
          <select
            v-if="p === 0"
            v-model="message.role"
            class="w-full bg-transparent font-mono text-xs"
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
              :aria-label="`Name of part ${p + 1} of message ${m + 1}`"
            />
            <span class="flex gap-3 text-xs text-ink-3 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
              <button type="button" class="link" title="Move up" @click="movePart(prompt, { message: m, part: p }, -1)">up</button>
              <button type="button" class="link" title="Move down" @click="movePart(prompt, { message: m, part: p }, 1)">down</button>
              <button type="button" class="link" title="A further part of this message" @click="add(addPart(prompt, m))">
                add part
              </button>
              <button type="button" class="link" @click="remove({ message: m, part: p })">remove</button>
            </span>
          </div>
          <TextEditor
            :ref="(editor) => keepEditor({ message: m, part: p }, editor)"
            :model-value="part.text ?? ''"
            :label="`Text of ${part.name}`"
            :hint="message.role === 'system' ? 'What the model should do' : 'Text, with inputs as {{ name }}'"
            :problem-line="problemOf(props.problems, { message: m, part: p })?.line"
            @update:model-value="part.text = $event"
          />
          <p v-if="problemOf(problems, { message: m, part: p })" class="mt-1 text-sm text-rust" role="alert" data-test="part-problem">
            {{ problemOf(problems, { message: m, part: p })!.message }}
          </p>
        </div>
      </section>
    </template>
    <p class="mt-2 pr-4 pl-[106px] text-sm text-ink-3">
      Add a message:
      <template v-for="(role, at) in ROLES" :key="role"
        ><template v-if="at"> · </template
        ><button type="button" class="link" :data-test="`add-${role}`" @click="add(addMessage(prompt, role))">{{ role }}</button></template
      >
    </p>
  </div>
</template>
