import type { ReplyShape } from "@/api/schema";
import { isRecord } from "@/parts/values";
import { fieldsOf, isShape } from "./shape";

/** The field of a JSON reply whose choices are its labels: the one called label, else the first with choices. */
export function labelField(reply: ReplyShape | undefined): { name: string; choices: string[] } | null {
  if (reply?.kind !== "json" || !isShape(reply.json_schema)) return null;
  const found = fieldsOf(reply.json_schema).flatMap(({ name, schema }) =>
    isRecord(schema) && Array.isArray(schema.enum) ? [{ name, choices: schema.enum.filter((each) => typeof each === "string") }] : [],
  );
  return found.find((each) => each.name === "label") ?? found[0] ?? null;
}

/** The labels that an answer may give: they stand in one place, which is where they are edited. */
export function labelsOf(reply: ReplyShape | undefined): string[] {
  if (!reply || reply.kind === "text") return [];
  return labelField(reply)?.choices ?? reply.labels ?? [];
}
