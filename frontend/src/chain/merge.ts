/** Two contents of a chain side by side: step by step, and what belongs to the whole. */
import { diffWordsWithSpace } from "diff";

import type { Chain } from "@/api/schema";
import type { Piece, Side } from "@/draft/merge";
import type { Row, Word } from "@/draft/versions/compare";
import type { Step } from "./steps";

const SECTIONS = ["inputs", "state", "outputs", "reply", "caps"] as const;
const text = (value: unknown): string | null => (value === undefined ? null : JSON.stringify(value, null, 2));
const keyOf = (step: Step) => `step · ${step.name}`;

function told(chain: Chain): Map<string, string | null> {
  return new Map([...SECTIONS.map((key) => [key, text(chain[key])] as const), ...chain.steps.map((step) => [keyOf(step), text(step)] as const)]);
}

export function piecesOfChains(base: Chain, mine: Chain, theirs: Chain): Piece[] {
  const [old, own, other] = [told(base), told(mine), told(theirs)];
  return [...new Set([...own.keys(), ...other.keys()])].map((key) => {
    const [was, my, its] = [old.get(key) ?? null, own.get(key) ?? null, other.get(key) ?? null];
    const changed = my === its ? null : my !== was && its !== was ? "both" : my !== was ? "mine" : its !== was ? "theirs" : null;
    return { key, title: key.replace("step · ", ""), mine: my, theirs: its, changed, isPart: false };
  });
}

export function mergedChains(mine: Chain, theirs: Chain, side: (key: string) => Side): Chain {
  const sections = Object.fromEntries(SECTIONS.map((key) => [key, (side(key) === "mine" ? mine : theirs)[key]]));
  const steps: Step[] = [];
  for (const step of mine.steps) {
    const other = theirs.steps.find(({ name }) => name === step.name);
    if (side(keyOf(step)) === "mine") steps.push(step);
    else if (other) steps.push(other);
  }
  // What only they have follows the step that it follows there.
  theirs.steps.forEach((step, at) => {
    if (mine.steps.some(({ name }) => name === step.name) || side(keyOf(step)) === "mine") return;
    const before = steps.findIndex(({ name }) => name === theirs.steps[at - 1]?.name);
    steps.splice(before + 1, 0, step);
  });
  return { ...mine, ...sections, steps: steps.length ? steps : mine.steps };
}

/** What differs between two versions, as rows. */
export function chainRows(before: Chain, after: Chain): Row[] {
  const [old, now] = [told(before), told(after)];
  return [...new Set([...old.keys(), ...now.keys()])].flatMap((key) => {
    const [was, is] = [old.get(key) ?? "", now.get(key) ?? ""];
    if (was === is) return [];
    const words = diffWordsWithSpace(was, is).map<Word>((part) => ({ text: part.value, kind: part.added ? "new" : part.removed ? "gone" : "same" }));
    return [{ what: key.replace("step · ", ""), group: "parts" as const, kind: was === "" ? "new" : is === "" ? "gone" : "changed", words } satisfies Row];
  });
}
