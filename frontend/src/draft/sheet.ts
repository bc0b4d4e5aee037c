import type { DraftProblem, Message, Prompt } from "@/api/schema";

export type Role = Message["role"];
export const ROLES: Role[] = ["system", "user", "assistant"];

/** Where a part stands in the prompt. */
export interface Place {
  message: number;
  part: number;
}

export function addPart(prompt: Prompt, message: number): Place {
  const parts = (prompt.messages![message]!.parts ??= []);
  parts.push({ name: freshName(prompt, "Part"), text: "" });
  return { message, part: parts.length - 1 };
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

/** Move a part one place up or down: within its message, else its whole message over the next. */
export function movePart(prompt: Prompt, { message, part }: Place, by: 1 | -1): void {
  const messages = prompt.messages!;
  const parts = messages[message]!.parts!;
  const to = part + by;
  if (to >= 0 && to < parts.length) {
    [parts[part], parts[to]] = [parts[to]!, parts[part]!];
    return;
  }
  const over = message + by;
  if (over >= 0 && over < messages.length) {
    [messages[message], messages[over]] = [messages[over]!, messages[message]!];
  }
}

export function problemOf(problems: DraftProblem[], { message, part }: Place): DraftProblem | undefined {
  return problems.find((problem) => problem.field === `messages.${message}.parts.${part}.text`);
}

function freshName(prompt: Prompt, wanted: string): string {
  const taken = new Set((prompt.messages ?? []).flatMap((message) => (message.parts ?? []).map((part) => part.name)));
  if (!taken.has(wanted)) return wanted;
  let number = 2;
  while (taken.has(`${wanted} ${number}`)) number += 1;
  return `${wanted} ${number}`;
}
