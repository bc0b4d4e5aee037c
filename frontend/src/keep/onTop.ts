import { alike } from "@/parts/values";

/** Which fields two states of a form differ in. */
export function differing<T extends object>(one: T, other: T): (keyof T)[] {
  const keys = new Set([...Object.keys(one), ...Object.keys(other)]) as Set<keyof T>;
  return [...keys].filter((key) => !alike(one[key], other[key]));
}

/** What was typed on `base`, put on top of what is kept now; `both`: fields that each side changed in its own way. */
export function onTop<T extends object>(base: T, mine: T, theirs: T): { content: T; both: (keyof T)[] } {
  const own = differing(mine, base);
  const others = new Set(differing(theirs, base));
  const content = { ...theirs };
  for (const key of own) content[key] = mine[key];
  return { content, both: own.filter((key) => others.has(key) && !alike(mine[key], theirs[key])) };
}
