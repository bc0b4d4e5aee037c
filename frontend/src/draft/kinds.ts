/** How two contents of one kind are held side by side and put together; a further kind joins here. */
import { chainRows, mergedChains, piecesOfChains } from "@/chain/merge";
import type { Chain, Prompt } from "@/api/schema";
import { merged, type Piece, pieces, type Side } from "./merge";
import { compare, type Row } from "./versions/compare";

export type Content = Prompt | Chain;

interface OfKind {
  pieces: (base: Content, mine: Content, theirs: Content) => Piece[];
  merged: (mine: Content, theirs: Content, side: (key: string) => Side) => Content;
  compare: (before: Content, after: Content) => Row[];
}
// Both sides are always of one kind: a subject stays what it is.
const KINDS: Record<NonNullable<Content["kind"]>, OfKind> = {
  prompt: { pieces, merged, compare } as unknown as OfKind,
  chain: { pieces: piecesOfChains, merged: mergedChains, compare: chainRows } as unknown as OfKind,
};

export function kindOf(content: Content): OfKind {
  return KINDS[content.kind ?? "prompt"];
}
