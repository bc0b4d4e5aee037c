import type { KeyBinding } from "@codemirror/view";

import type { TemplateWords } from "./templateWords";

export interface EditorProps {
  modelValue: string;
  label: string;
  kind?: "template" | "json" | "plain";
  hint?: string;
  problemLine?: number | null;
  words?: TemplateWords;
  keys?: KeyBinding[];
  /** Undo is the document's, not this editor's. */
  undoneOutside?: boolean;
}

export interface Editor {
  /** With the caret at an offset, where one is given. */
  focus: (at?: number) => void;
  caret: () => number;
  insert: (text: string) => void;
}
