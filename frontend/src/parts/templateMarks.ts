import { type Extension, StateField } from "@codemirror/state";
import { Decoration, type DecorationSet, EditorView, MatchDecorator, ViewPlugin, type ViewUpdate } from "@codemirror/view";

const value = Decoration.mark({ class: "cm-template-value" });
const tag = Decoration.mark({ class: "cm-template-tag" });
const matcher = new MatchDecorator({
  regexp: /\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\}/g,
  decoration: (match) => (match[0].startsWith("{{") ? value : tag),
});

/** Marks `{{ … }}` as values and `{% … %}`, `{# … #}` as tags. */
export const templateMarks: Extension = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) {
      this.decorations = matcher.createDeco(view);
    }
    update(update: ViewUpdate): void {
      this.decorations = matcher.updateDeco(update, this.decorations);
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

const problem = Decoration.line({ class: "cm-problem-line" });

/** Marks the line (from 1) that a problem lies in; typing moves it along until the next look. */
export function problemLines(line: number | null | undefined): Extension {
  if (!line) return [];
  return StateField.define<DecorationSet>({
    create: (state) =>
      line <= state.doc.lines ? Decoration.set([problem.range(state.doc.line(line).from)]) : Decoration.none,
    update: (set, transaction) => set.map(transaction.changes),
    provide: (field) => EditorView.decorations.from(field),
  });
}
