import type { DraftProblem, Message, Part, Prompt } from "@/api/schema";

export type Role = Message["role"];
export const ROLES: Role[] = ["system", "user", "assistant"];

/** Where a part stands in the prompt. */
export interface Place {
  message: number;
  part: number;
}

/** What joins the parts of a message; a part that is split is cut here. */
const BETWEEN = "\n\n";

export function partAt(prompt: Prompt, { message, part }: Place): Part | undefined {
  return prompt.messages?.[message]?.parts?.[part];
}

/** A further part: below the given one, or last in the message. */
export function addPart(prompt: Prompt, message: number, after?: number): Place {
  const parts = (prompt.messages![message]!.parts ??= []);
  const part = after === undefined ? parts.length : after + 1;
  parts.splice(part, 0, { name: freshName(prompt, "Part"), text: "" });
  return { message, part };
}

export function addMessage(prompt: Prompt, role: Role): Place {
  const messages = (prompt.messages ??= []);
  const name = { system: "Task", user: "Message", assistant: "Answer" }[role];
  messages.push({ role, parts: [{ name: freshName(prompt, name), text: "" }] });
  return { message: messages.length - 1, part: 0 };
}

/** Take a part away; a message without parts goes too. */
export function removePart(prompt: Prompt, { message, part }: Place): void {
  const from = prompt.messages![message]!;
  from.parts!.splice(part, 1);
  if (from.parts!.length === 0) prompt.messages!.splice(message, 1);
}

/** Cut a part in two at an offset of its text; the second gets a name of its own. */
export function splitPart(prompt: Prompt, place: Place, at: number): Place {
  const parts = prompt.messages![place.message]!.parts!;
  const first = parts[place.part]!;
  const text = first.text ?? "";
  const rest = { ...first, name: freshName(prompt, first.name), text: text.slice(at).replace(/^\s*\n/, "").trimStart() };
  first.text = text.slice(0, at).trimEnd();
  parts.splice(place.part + 1, 0, rest);
  return { message: place.message, part: place.part + 1 };
}

/** Join a part to the one above it in its message. Null where there is none. */
export function mergePart(prompt: Prompt, { message, part }: Place): { place: Place; at: number } | null {
  const parts = prompt.messages![message]!.parts!;
  const above = parts[part - 1];
  if (!above) return null;
  const at = (above.text ?? "").length;
  above.text = [above.text, parts[part]!.text].filter((text) => text).join(BETWEEN);
  parts.splice(part, 1);
  return { place: { message, part: part - 1 }, at };
}

/** Move a part one place up or down: within its message, else its whole message over the next. */
export function movePart(prompt: Prompt, { message, part }: Place, by: 1 | -1): Place {
  const messages = prompt.messages!;
  const parts = messages[message]!.parts!;
  const to = part + by;
  if (to >= 0 && to < parts.length) {
    [parts[part], parts[to]] = [parts[to]!, parts[part]!];
    return { message, part: to };
  }
  const over = message + by;
  if (over < 0 || over >= messages.length) return { message, part };
  [messages[message], messages[over]] = [messages[over]!, messages[message]!];
  return { message: over, part };
}

/** Put a part before another place, in any message. A message that is left empty goes. */
export function dropPart(prompt: Prompt, from: Place, to: Place): void {
  const messages = prompt.messages!;
  const source = messages[from.message]!;
  const target = messages[to.message];
  const [moved] = source.parts!.splice(from.part, 1);
  if (!moved || !target) return;
  const shifted = source === target && from.part < to.part ? to.part - 1 : to.part;
  (target.parts ??= []).splice(shifted, 0, moved);
  if (source.parts!.length === 0) messages.splice(from.message, 1);
}

export function problemOf(problems: DraftProblem[], { message, part }: Place): DraftProblem | undefined {
  return problems.find((problem) => problem.field === `messages.${message}.parts.${part}.text`);
}

export function freshName(prompt: Prompt, wanted: string): string {
  const taken = new Set((prompt.messages ?? []).flatMap((message) => (message.parts ?? []).map((part) => part.name)));
  if (!taken.has(wanted)) return wanted;
  const stem = wanted.replace(/ \d+$/, "");
  let number = 2;
  while (taken.has(`${stem} ${number}`)) number += 1;
  return `${stem} ${number}`;
}
