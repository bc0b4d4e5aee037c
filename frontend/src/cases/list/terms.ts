/** Completion of what narrows the list: what could follow the letters before the cursor. */
import type { CaseSetShape, CaseTags } from "@/api/schema";

export interface Completion {
  /** What the word becomes. */
  text: string;
  told: string;
  /** More is to be typed after it. */
  open: boolean;
}

const KEYS: [string, string][] = [
  ["label:", "expects this label"],
  ["tag:", "has this tag"],
  ["fails:", "some answer of a version failed, as fails:v2"],
  ["passes:", "all answers of a version passed"],
  ["never:", "no answer of a version passed, as never:v2 or never:all"],
  ["wavers:", "some answers of a version passed, some did not"],
  ["flips:", "fares differently with two versions, as flips:v1..v2"],
  ["untried:", "a version has not met it"],
  ["kind:", "single, dialogue or step"],
  ["has:", "has a note, an answer, a label …"],
  ["owner:", "who answers for it"],
  ["origin:", "where it came from"],
  ["is:away", "was put away"],
  ["set:", "is in a named set"],
];
const HAS = ["label", "answer", "must-say", "must-not-say", "known", "refuse", "note", "turns", "tags", "picture", "owner", "key", "rules", "played", "pair", "dispute", "tool-answers"];
const MOST = 12;

/** The word that ends at the cursor: where it begins, and its letters. */
export function wordAt(text: string, cursor: number): { start: number; word: string } {
  const before = text.slice(0, cursor);
  const start = /\S*$/.exec(before)!.index;
  // A value in quotes may have spaces in it.
  const quoted = /-?[a-z]+:"[^"]*$/i.exec(before);
  return quoted ? { start: quoted.index, word: quoted[0] } : { start, word: before.slice(start) };
}

export function completions(word: string, known: CaseTags | undefined, versions: number, sets: CaseSetShape[] = []): Completion[] {
  const no = word.startsWith("-") ? "-" : "";
  const bare = word.slice(no.length);
  const colon = bare.indexOf(":");
  if (colon < 0) {
    return KEYS.filter(([key]) => key.startsWith(bare.toLowerCase())).map(([key, told]) => ({ text: no + key, told: no ? `not: ${told}` : told, open: key.endsWith(":") }));
  }
  const key = bare.slice(0, colon).toLowerCase();
  const typed = bare.slice(colon + 1).replace(/^"/, "").toLowerCase();
  return valuesOf(key, known, versions, sets)
    .filter(([value]) => value.toLowerCase().includes(typed))
    .slice(0, MOST)
    .map(([value, told]) => ({ text: `${no}${key}:${/\s/.test(value) ? `"${value}"` : value}`, told, open: false }));
}

function valuesOf(key: string, known: CaseTags | undefined, versions: number, sets: CaseSetShape[]): [string, string][] {
  const newest = Array.from({ length: Math.min(versions, MOST) }, (_, back) => versions - back);
  switch (key) {
    case "label":
      return (known?.labels ?? []).map(({ label, cases }) => [label, cases.toLocaleString("en")]);
    case "tag":
      return (known?.tags ?? []).map(({ tag, cases }) => [tag, cases.toLocaleString("en")]);
    case "set":
      return sets.map((set) => [set.name, set.cases.toLocaleString("en")]);
    case "owner":
      return (known?.owners ?? []).map((owner) => [owner, ""]);
    case "kind":
      return [["single", "one answer"], ["dialogue", "a talk"], ["step", "of one step of a chain"]];
    case "has":
      return HAS.map((each) => [each, ""]);
    case "flips":
      return newest.slice(0, -1).map((version) => [`v${version - 1}..v${version}`, ""]);
    case "fails":
    case "passes":
    case "never":
    case "wavers":
    case "untried":
      return [...newest.map((version): [string, string] => [`v${version}`, ""]), ["all", "every version that met it"]];
  }
  return [];
}
