import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";

/** What can be completed in a part: its prompt's inputs, and the fragments there are. */
export interface TemplateWords {
  inputs: { name: string; about: string }[];
  fragments: { reference: string; about: string }[];
}

const CALLS: Completion[] = [
  { label: "examples()", type: "function", detail: "the examples as text" },
  { label: "reply_shape()", type: "function", detail: "the reply's shape in words" },
];
const TAGS: Completion[] = [
  { label: "if", apply: "if  %}{% endif", detail: "when an input has a value" },
  { label: "for", apply: "for item in  %}{% endfor", detail: "once for each of a list" },
  { label: "else" },
  { label: "elif" },
  { label: "set" },
  { label: "include", apply: 'include ""', detail: "a fragment" },
];

/** Completion after `{{`, `{%` and inside the quotes of an include. */
export function completeTemplate(words: () => TemplateWords) {
  return (context: CompletionContext): CompletionResult | null => {
    const fragment = context.matchBefore(/\{%-?\s*include\s+"[^"]*/);
    if (fragment) {
      const from = fragment.from + fragment.text.indexOf('"') + 1;
      const options = words().fragments.map(({ reference, about }) => ({ label: reference, detail: about, type: "text" }));
      return { from, options, validFor: /^[\w@-]*$/ };
    }
    const opened = context.matchBefore(/(\{\{|\{%)-?[^{}%]*/);
    if (!opened) return null;
    const word = context.matchBefore(/\w*/);
    if (!word || (word.from === word.to && !context.explicit && !/[{%\s]$/.test(opened.text))) return null;
    const inputs = words().inputs.map(({ name, about }) => ({ label: name, detail: about, type: "variable", boost: 1 }));
    const isTag = opened.text.startsWith("{%");
    const first = /^\{%-?\s*\w*$/.test(opened.text);
    const options = isTag && first ? TAGS : [...inputs, ...CALLS];
    return { from: word.from, options, validFor: /^\w*$/ };
  };
}
