<script setup lang="ts">
/** One CodeMirror editor. `template` marks Jinja and completes its words; `json` and `plain` are set in mono. */
import { autocompletion, closeBrackets, closeBracketsKeymap, closeCompletion, completionKeymap, completionStatus } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { json, jsonParseLinter } from "@codemirror/lang-json";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { linter } from "@codemirror/lint";
import { Compartment, EditorState, type Extension } from "@codemirror/state";
import { EditorView, keymap, placeholder } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { onBeforeUnmount, onMounted, useTemplateRef, watch } from "vue";

import { problemLines, templateMarks } from "./templateMarks";
import type { EditorProps } from "./editor";
import { completeTemplate } from "./templateWords";

const props = withDefaults(defineProps<EditorProps>(), { kind: "template", hint: "", problemLine: null, words: () => ({ inputs: [], fragments: [] }), keys: () => [] });
const emit = defineEmits<{ "update:modelValue": [text: string] }>();
const host = useTemplateRef<HTMLElement>("host");
const lines = new Compartment();
let view: EditorView | undefined;

// Rust is kept for what failed.
const jsonColours = HighlightStyle.define([
  { tag: tags.string, color: "var(--color-kelp)" },
  { tag: [tags.number, tags.bool, tags.null], color: "var(--color-slate)" },
  { tag: tags.propertyName, color: "var(--color-ink)" },
  { tag: [tags.separator, tags.squareBracket, tags.brace], color: "var(--color-ink-2)" },
]);

/** Escape closes what can be completed if that is in sight, and else leaves the field. */
function leave(editor: EditorView): boolean {
  if (completionStatus(editor.state) === "active") return false;
  closeCompletion(editor); // one that was only thought of
  editor.contentDOM.blur();
  return true;
}

function extensions(): Extension[] {
  const common = [
    ...(props.undoneOutside ? [] : [history(), keymap.of(historyKeymap)]),
    keymap.of([{ key: "Escape", run: leave }, ...props.keys]),
    // Ctrl+Enter is the screen's: it asks for an answer.
    keymap.of([
      ...completionKeymap,
      ...closeBracketsKeymap,
      ...defaultKeymap.filter((binding) => binding.key !== "Mod-Enter"),
    ]),
    EditorView.lineWrapping,
    EditorView.contentAttributes.of({ "aria-label": props.label, spellcheck: "true" }),
    EditorView.updateListener.of((update) => {
      if (update.docChanged) emit("update:modelValue", update.state.doc.toString());
    }),
    placeholder(props.hint),
    lines.of(problemLines(props.problemLine)),
  ];
  if (props.kind === "json") {
    return [...common, json(), closeBrackets(), linter(jsonParseLinter()), syntaxHighlighting(jsonColours)];
  }
  if (props.kind === "plain") return common;
  const completing = autocompletion({ override: [completeTemplate(() => props.words)], icons: false, defaultKeymap: false });
  return [...common, templateMarks, completing];
}

/** The one stretch that differs, so that the caret and what is scrolled stay where they are. */
function difference(before: string, after: string): { from: number; to: number; insert: string } {
  const shorter = Math.min(before.length, after.length);
  let from = 0;
  while (from < shorter && before[from] === after[from]) from += 1;
  let end = 0;
  while (end < shorter - from && before.at(-1 - end) === after.at(-1 - end)) end += 1;
  return { from, to: before.length - end, insert: after.slice(from, after.length - end) };
}

onMounted(() => {
  if (!host.value) return;
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({ doc: props.modelValue, extensions: extensions() }),
  });
});
onBeforeUnmount(() => view?.destroy());

watch(
  () => props.modelValue,
  (text) => {
    if (!view || view.state.doc.toString() === text) return;
    const changes = difference(view.state.doc.toString(), text);
    const at = changes.from + changes.insert.length;
    view.dispatch({ changes, ...(view.hasFocus ? { selection: { anchor: at }, scrollIntoView: true } : {}) });
  },
);
watch(
  () => props.problemLine,
  (line) => view?.dispatch({ effects: lines.reconfigure(problemLines(line)) }),
);
defineExpose({
  /** With the caret at an offset, where one is given. */
  focus: (at?: number) => {
    view?.focus();
    if (at !== undefined) view?.dispatch({ selection: { anchor: Math.min(at, view.state.doc.length) } });
  },
  caret: () => view?.state.selection.main.head ?? 0,
  insert: (text: string) => {
    if (!view) return;
    view.dispatch(view.state.replaceSelection(text));
    view.focus();
  },
});
</script>

<template>
  <div ref="host" :class="kind === 'template' ? '' : 'code-editor'"></div>
</template>
