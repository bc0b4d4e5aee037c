import { diffWordsWithSpace } from "diff";

import type { Span } from "@/marks/spans";

const length = (text: string) => Array.from(text).length;

/** Where two answers differ by word: spans (in code points) of what each has and the other lacks. */
export function differing(one: string, other: string): [Span[], Span[]] {
  const found: [Span[], Span[]] = [[], []];
  const at = [0, 0];
  for (const change of diffWordsWithSpace(one, other)) {
    const long = length(change.value);
    for (const side of [0, 1] as const) {
      if (side === 0 ? change.added : change.removed) continue;
      const start = at[side]!;
      at[side] = start + long;
      const isOwn = side === 0 ? change.removed : change.added;
      if (isOwn && change.value.trim()) found[side].push({ start, end: start + long, note: "differs" });
    }
  }
  return [joined(one, found[0]), joined(other, found[1])];
}

/** Spans with nothing but white space between them, as one. */
function joined(text: string, spans: Span[]): Span[] {
  const points = Array.from(text);
  const kept: Span[] = [];
  for (const span of spans) {
    const last = kept.at(-1);
    if (last && points.slice(last.end, span.start).every((point) => !point.trim())) last.end = span.end;
    else kept.push({ ...span });
  }
  return kept;
}
