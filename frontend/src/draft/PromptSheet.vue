<script setup lang="ts">
/** The prompt as a sheet: its parts in order, the role in the gutter. */
import { computed, nextTick, onMounted, ref } from "vue";

import { useFragments } from "@/api/fragments";
import type { DraftProblem, FragmentLine, Prompt, UnguardedRule } from "@/api/schema";
import { useChange } from "./change";
import type { PartAction } from "./PartMenu.vue";
import PartRow from "./PartRow.vue";
import * as sheet from "./sheet";
import { type Place, problemOf, ROLES } from "./sheet";
import { useDrag } from "./useDrag";

const props = defineProps<{ problems: DraftProblem[]; inputs: string[]; unguarded: UnguardedRule[] }>();
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
      reference: `${each.name}@${each.newest}`,
      about: each.about,
    })),
  };
});

/** Words of rules that no check watches over, by the path of their part. */
const openRules = computed(() => {
  const found: Record<string, string[]> = {};
  for (const { path, words: said } of props.unguarded) (found[path] ??= []).push(said);
  return found;
});

const NONE: FragmentLine[] = [];

function keepEditor(key: string, row: unknown): void {
  if (row) editors.set(key, row as Editor);
  else editors.delete(key);
}

async function focus(place: Place, at?: number): Promise<void> {
  await nextTick();
  editors.get(keyOf(place))?.focus(at);
}

const change = useChange();

const drag = useDrag((from, to) => {
  const name = sheet.partAt(prompt.value, from)?.name ?? "";
  if (from.message === to.message && (to.part === from.part || to.part === from.part + 1)) return;
  change(`“${name}” was moved.`, () => sheet.dropPart(prompt.value, from, to));
});
/** Where a part that is dragged would go, as seen from this one. */
function markOf(message: number, part: number): "above" | "below" | "dragged" | null {
  const { from, over } = drag;
  if (from.value?.message === message && from.value.part === part) return "dragged";
  if (over.value?.message !== message) return null;
  if (over.value.part === part) return "above";
  const last = (prompt.value.messages?.[message]?.parts?.length ?? 0) - 1;
  return over.value.part === part + 1 && part === last ? "below" : null;
}

function act(action: PartAction, place: Place): boolean {
  const part = sheet.partAt(prompt.value, place);
  if (!part) return false;
  if (action === "off") change("", () => (part.off = !part.off));
  else if (action === "split") {
    const at = editors.get(keyOf(place))?.caret() ?? 0;
    change(`“${part.name}” is two parts now.`, () => void focus(sheet.splitPart(prompt.value, place, at), 0));
  } else if (action === "merge" && place.part > 0) {
    change(`“${part.name}” is joined to the part above.`, () => {
      const merged = sheet.mergePart(prompt.value, place);
      if (merged) void focus(merged.place, merged.at);
    });
  } else if (action === "up") change("", () => void focus(sheet.movePart(prompt.value, place, -1)));
  else if (action === "down") change("", () => void focus(sheet.movePart(prompt.value, place, 1)));
  else if (action === "add") change("", () => void focus(sheet.addPart(prompt.value, place.message, place.part)));
  else if (action === "fragment") emit("fragment", place);
  else change(`“${part.name}” is gone from the draft.`, () => sheet.removePart(prompt.value, place));
  return true;
}

/** After the part that was written in last, else at the end of the first message. */
function addPart(): void {
  const { message, part } = lastFocused.value ?? { message: 0, part: (prompt.value.messages?.[0]?.parts?.length ?? 0) - 1 };
  change("", () => void focus(sheet.addPart(prompt.value, message, part)));
}

/** Put text where the caret was last, or at the end of the first part. */
function insert(text: string): void {
  const place = lastFocused.value ?? { message: 0, part: 0 };
  editors.get(keyOf(place))?.insert(text);
}
// A prompt that nothing is written in yet begins with writing.
onMounted(() => {
  const first = prompt.value.messages?.[0]?.parts?.[0];
  if (first && !first.text && document.activeElement === document.body) void focus({ message: 0, part: 0 });
});
defineExpose({ insert });
</script>

<template>
  <div class="flex flex-col py-2" data-test="sheet">
    <template v-for="(message, m) in prompt.messages" :key="m">
      <div v-if="m > 0" class="mx-4 my-1 border-t border-rule-soft" aria-hidden="true"></div>
      <PartRow
        v-for="(part, p) in message.parts"
        :key="`${m}.${p}`"
        :ref="(row) => keepEditor(`${m}.${p}`, row)"
        :message="message"
        :part="part"
        :m="m"
        :p="p"
        :problem="problemOf(problems, { message: m, part: p })"
        :words="words"
        :fragments="fragments.data.value?.fragments ?? NONE"
        :mark="markOf(m, p)"
        :open="openRules[`messages.${m}.parts.${p}.text`]"
        @act="act"
        @drag="drag.begin"
        @focused="lastFocused = $event"
      />
    </template>
    <p class="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 pr-4 pl-24.5 text-sm text-ink-2">
      <button type="button" class="button h-slim px-2" title="Alt N" data-test="add-part" @click="addPart">Add a part</button>
      <span>or a message:
      <template v-for="(role, at) in ROLES" :key="role"
        ><template v-if="at"> · </template
        ><button type="button" class="link" :data-test="`add-${role}`" @click="change('', () => void focus(sheet.addMessage(prompt, role)))">{{ role }}</button></template
      ></span>
    </p>
  </div>
</template>
