import type { Prompt } from "@/api/schema";
import { labelsOf } from "@/draft/reply/labels";
import { fieldsOf, isShape } from "@/draft/reply/shape";
import { shown } from "@/parts/values";

/** What a prompt has besides its parts, a line for each that is there. */
export function besides({ inputs = [], examples = [], examples_as, reply, tools = [], settings = {} }: Prompt): { title: string; told: string }[] {
  const set = Object.entries(settings).filter(([, value]) => value != null);
  const pairs = examples.map((each) => `${Object.values(each.inputs ?? {}).map(shown).join(" · ")} → ${each.answer ?? ""}`);
  return [
    { title: "inputs", told: inputs.map((each) => `${each.name} (${each.kind ?? "text"})`).join(", ") },
    { title: examples_as === "text" ? "examples, in the text" : "examples", told: pairs.join("\n") },
    { title: "reply", told: replyInWords(reply) },
    { title: "tools", told: tools.map((each) => each.name).join(", ") },
    { title: "settings", told: set.map(([name, value]) => `${name.replaceAll("_", " ")} ${String(value)}`).join(", ") },
  ].filter(({ told }) => told !== "");
}

function replyInWords(reply: Prompt["reply"]): string {
  const labels = labelsOf(reply);
  const choices = labels.length ? `; labels: ${labels.join(", ")}` : "";
  if (reply?.kind === "label") return `one label${choices}`;
  if (reply?.kind !== "json") return "text";
  const fields = isShape(reply.json_schema) ? fieldsOf(reply.json_schema).map(({ name }) => name) : [];
  return `JSON${fields.length ? ` with ${fields.join(", ")}` : ""}${choices}`;
}
