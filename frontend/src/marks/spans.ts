export interface Span {
  start: number;
  end: number;
  note: string;
}

export interface Piece {
  text: string;
  spans: Span[];
}

/**
 * Cut a text where spans begin and end. Offsets count code points, as the server does, so a text
 * with emoji is cut in the right places.
 */
export function cutAtSpans(text: string, spans: Span[]): Piece[] {
  if (spans.length === 0) return [{ text, spans: [] }];
  const points = Array.from(text);
  const clamp = (at: number) => Math.min(Math.max(at, 0), points.length);
  const edges = new Set([0, points.length]);
  for (const span of spans) edges.add(clamp(span.start)).add(clamp(span.end));
  const sorted = [...edges].sort((a, b) => a - b);
  return sorted.slice(0, -1).map((start, at) => {
    const end = sorted[at + 1] as number;
    return { text: points.slice(start, end).join(""), spans: spans.filter((span) => span.start <= start && span.end >= end) };
  });
}
