import type { Message, Part, Prompt } from "@/api/schema";

/** One thing that two people may both have changed: a part, or a whole section of the prompt. */
export interface Piece {
  key: string;
  title: string;
  mine: string | null;
  theirs: string | null;
  /** Who changed it since both began: null where neither did. */
  changed: "mine" | "theirs" | "both" | null;
  isPart: boolean;
}
export type Side = "mine" | "theirs";
const SECTIONS = ["inputs", "examples", "examples_as", "tools", "reply", "settings"] as const;

/** What each side changed since `base`, by part and by section. */
export function pieces(base: Prompt, mine: Prompt, theirs: Prompt): Piece[] {
  const [old, own, other] = [partsOf(base), partsOf(mine), partsOf(theirs)];
  const keys = [...new Set([...own.keys(), ...other.keys()])];
  const parts = keys.map((key) => piece(key, key, old.get(key) ?? null, own.get(key) ?? null, other.get(key) ?? null, true));
  const sections = SECTIONS.map((key) => piece(key, key.replace("_", " "), text(base[key]), text(mine[key]), text(theirs[key]), false));
  return [...parts, ...sections];
}

/** The side that a piece is taken from unless it is chosen otherwise: whoever changed it; else mine. */
export function usual(one: Piece): Side {
  return one.changed === "theirs" ? "theirs" : "mine";
}

/** One prompt out of two, each piece from the side that was chosen. */
export function merged(mine: Prompt, theirs: Prompt, side: (key: string) => Side): Prompt {
  const taken = new Map<string, Part>();
  for (const [from, prompt] of [["mine", mine], ["theirs", theirs]] as const) {
    for (const [key, part] of walk(prompt)) if (side(key) === from) taken.set(key, part);
  }
  // In the order of mine; parts that only they have follow the part that they follow there.
  const messages: Message[] = (mine.messages ?? []).map((message) => ({ ...message, parts: [] }));
  const place = new Map<string, number>();
  for (const [key, , m] of walk(mine)) {
    place.set(key, m);
    const part = taken.get(key);
    if (part) messages[m]!.parts!.push(part);
  }
  const own = new Set(place.keys());
  for (const [key, , m, role] of walk(theirs)) {
    const part = taken.get(key);
    if (own.has(key) || !part) continue;
    const at = messages[m]?.role === role ? m : messages.findIndex((message) => message.role === role);
    if (at >= 0) messages[at]!.parts!.push(part);
    else messages.push({ role, parts: [part] });
  }
  const sections = Object.fromEntries(SECTIONS.map((key) => [key, (side(key) === "mine" ? mine : theirs)[key]]));
  return { ...mine, ...sections, messages: messages.filter((message) => message.parts!.length > 0), fragments: { ...theirs.fragments, ...mine.fragments } };
}

/** Every part with the name that it is told apart by. */
function* walk(prompt: Prompt): Generator<[string, Part, number, Message["role"]]> {
  const seen = new Map<string, number>();
  for (const [m, message] of (prompt.messages ?? []).entries()) {
    for (const part of message.parts ?? []) {
      const stem = `${message.role} · ${part.name}`;
      const number = (seen.get(stem) ?? 0) + 1;
      seen.set(stem, number);
      yield [number === 1 ? stem : `${stem} (${number})`, part, m, message.role];
    }
  }
}

function partsOf(prompt: Prompt): Map<string, string> {
  return new Map([...walk(prompt)].map(([key, part]) => [key, part.off ? `(off)\n${part.text ?? ""}` : (part.text ?? "")]));
}

function piece(key: string, title: string, base: string | null, mine: string | null, theirs: string | null, isPart: boolean): Piece {
  const [own, other] = [mine !== base, theirs !== base];
  const changed = mine === theirs ? null : own && other ? "both" : own ? "mine" : other ? "theirs" : null;
  return { key, title, mine, theirs, changed, isPart };
}

/** The same for what means the same: whatever the order of keys, and with or without empty ones. */
function text(value: unknown): string {
  return JSON.stringify(tidy(value) ?? null, null, 2);
}

function tidy(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(tidy);
  if (typeof value !== "object" || value === null) return value;
  const kept = Object.entries(value).filter(([, each]) => each !== null && each !== false && each !== "");
  return Object.fromEntries(kept.sort(([a], [b]) => (a < b ? -1 : 1)).map(([key, each]) => [key, tidy(each)]));
}
