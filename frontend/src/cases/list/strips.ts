/** Strips as the server tells them: a letter for each repeat. */
import type { Mark } from "@/marks/TickStrip.vue";

const MARKS: Record<string, Mark> = { p: "passed", f: "failed", u: "unanswered", n: "unjudged", ".": "waiting" };

export const marksOf = (letters: string): Mark[] => [...letters].map((letter) => MARKS[letter] ?? "waiting");

/** The share of answers that passed, 0–1; null where none was judged. */
export function shareOf(letters: string): number | null {
  const passed = letters.split("p").length - 1;
  const judged = passed + letters.split("f").length - 1;
  return judged ? passed / judged : null;
}

export type Flip = "gained" | "lost" | null;

/** What became of a case from one strip to another. */
export function flipOf(one: string, other: string): Flip {
  const [before, after] = [shareOf(one), shareOf(other)];
  if (before === null || after === null || before === after) return null;
  return after > before ? "gained" : "lost";
}
