import type { Span } from "./spans";

/** Where an answer cites a passage by its number, and in which sentence. */
export interface Citation extends Span {
  number: number;
  sentence: string;
}

/** Citations such as [2] of one of so many passages. Offsets count code points. */
export function citationsIn(text: string, passages: number): Citation[] {
  if (!passages) return [];
  return [...text.matchAll(/\[(\d{1,3})\]/g)].flatMap((found) => {
    const number = Number(found[1]);
    if (number < 1 || number > passages) return [];
    const before = text.slice(0, found.index);
    const start = Array.from(before).length;
    const sentence = before.replace(/(\s*\[\d{1,3}\])+\s*$/, "").split(/(?<=[.!?])\s+/).at(-1) ?? "";
    return [{ start, end: start + found[0].length, note: `Passage ${number}`, number, sentence }];
  });
}
