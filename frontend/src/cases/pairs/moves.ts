/** How an answer must move for a change in its case: as it is typed, and as it reads. */
import type { Move, Pair, ReplyShape } from "@/api/schema";
import { isRecord } from "@/parts/values";

export type Must = NonNullable<Move["must"]>;
export const MUSTS: Record<Must, string> = {
  same: "stays the same",
  other: "changes",
  up: "goes up",
  down: "goes down",
  is: "becomes",
};

/** What of an answer can move: fields of a JSON reply by name, or the answer as a whole. */
export function movable(reply: ReplyShape | undefined): string[] {
  const schema = reply?.kind === "json" && isRecord(reply.json_schema) ? reply.json_schema : null;
  const fields = schema && isRecord(schema.properties) ? Object.keys(schema.properties) : [];
  return fields.length ? fields : [""];
}

/** `/refund/cents` reads “refund cents”. */
export function whatInWords(what: string, whole = "the answer"): string {
  return what.replace(/^\//, "").replace(/\//g, " ").replace(/~1/g, "/").replace(/~0/g, "~") || whole;
}
export const moveInWords = (move: Move) => `${whatInWords(move.what ?? "")} ${MUSTS[move.must ?? "other"]}${move.must === "is" ? ` ${move.value ?? ""}` : ""}`;

export const isVariation = (pair: Pair | null | undefined) => !!pair && (pair.kind ?? "changed") !== "changed";

export interface Changed {
  /** `booking.class`, or an input's name. */
  what: string;
  was: unknown;
  now: unknown;
}
/** What differs between two inputs, records field by field. */
export function changesBetween(was: Record<string, unknown>, now: Record<string, unknown>, within = ""): Changed[] {
  const found: Changed[] = [];
  for (const name of new Set([...Object.keys(was), ...Object.keys(now)])) {
    const [one, other] = [was[name], now[name]];
    if (JSON.stringify(one) === JSON.stringify(other)) continue;
    if (!within && isRecord(one) && isRecord(other)) found.push(...changesBetween(one, other, name));
    else found.push({ what: within ? `${within}.${name}` : name, was: one, now: other });
  }
  return found;
}
