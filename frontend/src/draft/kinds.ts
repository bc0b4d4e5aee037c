/** How two contents of one kind are held side by side and put together; a further kind joins here. */
import type { Prompt } from "@/api/schema";
import { merged, pieces } from "./merge";
import { compare } from "./versions/compare";

export type Content = Prompt;

const KINDS = { prompt: { pieces, merged, compare } };

export function kindOf(content: Content): (typeof KINDS)[keyof typeof KINDS] {
  return KINDS[content.kind ?? "prompt"];
}
