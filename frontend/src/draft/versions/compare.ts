import { diffLines, diffWordsWithSpace } from "diff";

import { labelField } from "../reply/labels";
import type { Prompt } from "@/api/schema";

export interface Word {
  text: string;
  kind: "same" | "gone" | "new";
}
export interface Row {
  /** What is compared: `system · Task`, `temperature`, `example 2`. */
  what: string;
  group: "parts" | "inputs" | "examples" | "reply" | "tools" | "settings" | "fragments";
  kind: "same" | "changed" | "gone" | "new";
  words: Word[];
}

/** Two contents side by side: parts by name with word differences, then everything else, by name. */
export function compare(before: Prompt, after: Prompt): Row[] {
  return [
    ...rows("parts", parts(before), parts(after)),
    ...rows("inputs", named(before.inputs, "name"), named(after.inputs, "name")),
    ...rows("examples", examples(before), examples(after)),
    ...rows("reply", reply(before), reply(after)),
    ...rows("tools", named(before.tools, "name"), named(after.tools, "name")),
    ...rows("tools", toolChoice(before), toolChoice(after)),
    ...rows("settings", settings(before), settings(after)),
    ...rows("fragments", new Map(Object.entries(before.fragments ?? {})), new Map(Object.entries(after.fragments ?? {}))),
  ];
}

/** By line: for JSON, where a word is torn out of its value. */
export function lines(before: string, after: string): Word[] {
  return diffLines(before, after).map(({ value, added, removed }) => ({ text: value, kind: added ? "new" : removed ? "gone" : "same" }));
}

export function words(before: string, after: string): Word[] {
  return diffWordsWithSpace(before, after).map(({ value, added, removed }) => ({
    text: value,
    kind: added ? "new" : removed ? "gone" : "same",
  }));
}

function rows(group: Row["group"], before: Map<string, string>, after: Map<string, string>): Row[] {
  return [...new Set([...after.keys(), ...before.keys()])].map((what) => {
    const [old, now] = [before.get(what), after.get(what)];
    const kind = old === now ? "same" : old === undefined ? "new" : now === undefined ? "gone" : "changed";
    // A short value is read as a whole: 0.2 to 0.9, not a 2 that became a 9.
    const short = kind === "changed" && group !== "parts" && !`${old}${now}`.includes("\n") && `${old}${now}`.length < 60;
    return { what, group, kind, words: short ? replaced(old!, now!) : words(old ?? "", now ?? "") };
  });
}

function replaced(old: string, now: string): Word[] {
  return [
    { text: old, kind: "gone" },
    { text: " ", kind: "same" },
    { text: now, kind: "new" },
  ];
}

/** By role and name; a name that stands twice is numbered. */
function parts(prompt: Prompt): Map<string, string> {
  const found = new Map<string, string>();
  for (const message of prompt.messages ?? []) {
    for (const part of message.parts ?? []) {
      const stem = `${message.role} · ${part.name}`;
      let what = stem;
      for (let number = 2; found.has(what); number += 1) what = `${stem} (${number})`;
      found.set(what, part.off ? `(off, not sent)\n${part.text ?? ""}` : (part.text ?? ""));
    }
  }
  return found;
}

function named<T extends { name: string }>(list: T[] | undefined, key: "name"): Map<string, string> {
  return new Map((list ?? []).map(({ [key]: name, ...rest }) => [name, told(rest)]));
}

/** Whether tools have to be called, and how often, where that is not as usual. */
function toolChoice({ tool_choice: choice }: Prompt): Map<string, string> {
  const { choice: way = "auto", this: name = "", several = true, rounds = 8 } = choice ?? {};
  const told = `${way}${name ? ` ${name}` : ""}, ${several ? "several at once" : "one at a time"}, ${rounds} rounds`;
  return new Map(told === "auto, several at once, 8 rounds" ? [] : [["how tools are called", told]]);
}

function examples(prompt: Prompt): Map<string, string> {
  const found = new Map((prompt.examples ?? []).map((each, at) => [`example ${at + 1}`, told({ ...each.inputs, answer: each.answer, off: each.off })]));
  if (found.size) found.set("sent", prompt.examples_as === "text" ? "inside the text" : "as messages");
  return found;
}

function reply({ reply }: Prompt): Map<string, string> {
  const found = new Map<string, string>([["kind", reply?.kind ?? "text"]]);
  if (reply?.labels?.length && !labelField(reply)) found.set("labels", reply.labels.join(", "));
  if (reply?.json_schema != null) found.set("shape", told(reply.json_schema));
  if (reply?.send_schema) found.set("also sent as response_format", "yes");
  return found;
}

function settings(prompt: Prompt): Map<string, string> {
  const set = Object.entries(prompt.settings ?? {}).filter(([, value]) => value != null);
  return new Map(set.map(([name, value]) => [name.replaceAll("_", " "), told(value)]));
}

function told(value: unknown): string {
  if (typeof value === "string") return value;
  return JSON.stringify(value, (_, each: unknown) => (each === false || each === "" || each === null ? undefined : each), 2) ?? "";
}

