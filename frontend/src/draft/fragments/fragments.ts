import type { FragmentLine } from "@/api/schema";

export interface Pin {
  name: string;
  version: number;
}

const INCLUDE = /(\{%-?\s*include\s+["'])([a-z0-9][a-z0-9-]*)@(\d+)(["'])/g;

/** The fragments that a text includes. */
export function pinsIn(text: string): Pin[] {
  return [...text.matchAll(INCLUDE)].map((found) => ({ name: found[2]!, version: Number(found[3]) }));
}

/** Pins for which there is a newer version. */
export function outdated(text: string, fragments: FragmentLine[]): (Pin & { newest: number; note: string })[] {
  return pinsIn(text).flatMap((pin) => {
    const known = fragments.find((each) => each.name === pin.name);
    return known && known.newest > pin.version ? [{ ...pin, newest: known.newest, note: known.note }] : [];
  });
}

export function moveUp(text: string, { name, version }: Pin, to: number): string {
  return text.replace(INCLUDE, (all, start: string, found: string, number: string, end: string) =>
    found === name && Number(number) === version ? `${start}${name}@${to}${end}` : all,
  );
}

export function includeOf({ name, version }: Pin): string {
  return `{% include "${name}@${version}" %}`;
}
