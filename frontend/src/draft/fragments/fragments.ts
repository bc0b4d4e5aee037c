import type { FragmentPage } from "@/api/schema";

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
export function outdated(text: string, fragments: FragmentPage[]): (Pin & { newest: number; note: string })[] {
  return pinsIn(text).flatMap((pin) => {
    const newest = fragments.find((each) => each.name === pin.name)?.versions[0];
    return newest && newest.number > pin.version ? [{ ...pin, newest: newest.number, note: newest.note }] : [];
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
