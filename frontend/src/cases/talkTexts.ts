/** What belongs to a talk, as it is typed: the person by rules or played, and what the talk is to find out. */
import type { CollectedFact, Person, Persona, ToolTold, ToolWanted } from "@/api/schema";

export interface RuleTexts {
  asked: string;
  /** One a line. */
  say: string;
  leaves: boolean;
}
export interface PersonaTexts {
  model: string;
  about: string;
  goal: string;
  /** One a line: `colour: dark red`; a * before it is told by themselves. */
  facts: string;
  /** One a line. */
  withholds: string;
  manner: string;
  patience: string;
}
export interface PersonTexts {
  rules: RuleTexts[];
  /** One a line. */
  otherwise: string;
  most: string;
  persona: PersonaTexts | null;
}

const USUAL_TURNS = 8;
const USUAL_PATIENCE = 3;
export const linesOf = (text: string) => text.split("\n").map((line) => line.trim()).filter(Boolean);
const whole = (text: string, usual: number, most: number) => Math.min(Math.max(Math.round(Number(text)) || usual, 1), most);

export function personTexts(person: Person | null | undefined): PersonTexts {
  return {
    rules: (person?.rules ?? []).map(({ asked, say, leaves }) => ({ asked, say: (say ?? []).join("\n"), leaves: leaves ?? false })),
    otherwise: (person?.otherwise ?? []).join("\n"),
    most: String(person?.most_turns ?? USUAL_TURNS),
    persona: person?.persona ? personaTexts(person.persona) : null,
  };
}
function personaTexts(persona: Persona): PersonaTexts {
  return {
    model: persona.model,
    about: persona.about ?? "",
    goal: persona.goal ?? "",
    facts: (persona.facts ?? []).map(({ what, value, freely }) => `${freely ? "* " : ""}${what}: ${value}`).join("\n"),
    withholds: (persona.withholds ?? []).join("\n"),
    manner: persona.manner ?? "",
    patience: String(persona.patience ?? USUAL_PATIENCE),
  };
}
export const blankPersona = (model: string): PersonaTexts => ({ model, about: "", goal: "", facts: "", withholds: "", manner: "", patience: String(USUAL_PATIENCE) });

/** None where there is nothing that they could say. */
export function personFrom({ rules, otherwise, most, persona }: PersonTexts, kept?: Person | null): Person | null {
  if (!rules.length && !otherwise.trim() && !persona) return null;
  return {
    rules: rules.map(({ asked, say, leaves }) => ({ asked: asked.trim(), say: linesOf(say), leaves })),
    otherwise: linesOf(otherwise),
    most_turns: whole(most, USUAL_TURNS, 40),
    persona: persona ? { ...personaFrom(persona), seed: kept?.persona?.seed ?? 1 } : null,
  };
}
function personaFrom({ model, about, goal, facts, withholds, manner, patience }: PersonaTexts): Persona {
  const told = linesOf(facts).map((line) => {
    const freely = line.startsWith("*");
    const [what, value] = parted(freely ? line.slice(1) : line);
    return { what, value, freely };
  });
  return { model, about: about.trim(), goal: goal.trim(), facts: told, withholds: linesOf(withholds), manner: manner.trim(), patience: whole(patience, USUAL_PATIENCE, 20) };
}

/** `colour: dark red (by 3)` a line. */
export const collectTexts = (facts: CollectedFact[] | undefined) =>
  (facts ?? []).map(({ what, value, by }) => `${what}: ${value}${by == null ? "" : ` (by ${by})`}`).join("\n");
export function collectFrom(text: string): CollectedFact[] {
  return linesOf(text).map((line) => {
    const by = /\s*\(by (\d{1,3})\)\s*$/.exec(line);
    const [what, value] = parted(by ? line.slice(0, by.index) : line);
    return { what, value, ...(by ? { by: Number(by[1]) } : {}) };
  });
}

/** `book {"seats": 2}` a line: a name, and fields that it is called with. What is no JSON object is part of the name. */
export const toolTexts = (tools: ToolWanted[] | undefined) =>
  (tools ?? []).map(({ name, arguments: given }) => (given && Object.keys(given).length ? `${name} ${JSON.stringify(given)}` : name)).join("\n");
export function toolsFrom(text: string): ToolWanted[] {
  return linesOf(text).map((line) => {
    const at = line.indexOf("{");
    if (at < 0) return { name: line };
    try {
      return { name: line.slice(0, at).trim(), arguments: JSON.parse(line.slice(at)) as Record<string, unknown> };
    } catch {
      return { name: line };
    }
  });
}

/** `sailings {"pier": "Ness"}: 08:10` a line: what a tool answers to calls with these fields, or to any. A line break in it is written \\n. */
export const toldTexts = (told: ToolTold[] | undefined) =>
  (told ?? []).map(({ tool, arguments: given, answer }) => `${toolTexts([{ name: tool, arguments: given }])}: ${(answer ?? "").replace(/\\/g, "\\\\").replace(/\n/g, "\\n")}`).join("\n");
export function toldFrom(text: string): ToolTold[] {
  return linesOf(text).map((line) => {
    // The colon that ends the head is the first after which the fields before it are whole.
    for (let at = line.indexOf(":"); at >= 0; at = line.indexOf(":", at + 1)) {
      const [{ name, arguments: given }] = toolsFrom(line.slice(0, at)) as [ToolWanted];
      if (!given && name.includes("{")) continue;
      const answer = line.slice(at + 1).trim().replace(/\\(.)/g, (_, mark: string) => (mark === "n" ? "\n" : mark));
      return { tool: name, ...(given ? { arguments: given } : {}), answer };
    }
    return { tool: line, answer: "" };
  });
}

function parted(line: string): [string, string] {
  const at = line.indexOf(":");
  return at < 0 ? [line.trim(), ""] : [line.slice(0, at).trim(), line.slice(at + 1).trim()];
}
