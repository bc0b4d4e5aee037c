/** The steps of a chain: where they stand, and what is done to their order. */
import type { Chain } from "@/api/schema";
import { copied } from "@/parts/values";

export type Step = Chain["steps"][number];
export type Kind = Step["kind"];
export type Path = (string | number)[];

/** A row of the ladder: a step, or the head of a way or a branch that holds some. */
export interface Rung {
  at: string;
  deep: number;
  path: Path;
  step: Step | null;
  /** Of a head: what it is called, and when it is taken. */
  head: string;
  when: string;
}

export const KINDS: { kind: Kind; title: string; does: string }[] = [
  { kind: "ask", title: "Ask", does: "a model writes something" },
  { kind: "look_up", title: "Look up", does: "passages of a collection" },
  { kind: "tool", title: "Tool", does: "call one, with arguments worked out" },
  { kind: "set", title: "Set", does: "work values out" },
  { kind: "check", title: "Check", does: "judge a value by checks" },
  { kind: "route", title: "Route", does: "one of several ways" },
  { kind: "repeat", title: "Repeat", does: "until something is true" },
  { kind: "each", title: "Each", does: "for every item of a list" },
  { kind: "both", title: "Both", does: "branches side by side" },
  { kind: "vote", title: "Vote", does: "ask several times, the majority counts" },
  { kind: "pause", title: "Pause", does: "a person approves, edits or refuses" },
  { kind: "collect", title: "Collect", does: "find facts out by talk" },
  { kind: "call", title: "Call", does: "walk another chain" },
  { kind: "send", title: "Send", does: "values to an address, as a web hook" },
];
export const titleOf = (kind: string): string => KINDS.find((each) => each.kind === kind)?.title ?? kind;

interface Held {
  name: string;
  when: string;
  steps: Step[];
  path: Path;
}

/** The lists of steps that a step holds. */
export function heldBy(step: Step): Held[] {
  if (step.kind === "repeat" || step.kind === "each") return [{ name: "", when: "", steps: step.steps, path: ["steps"] }];
  if (step.kind === "route") {
    const ways = step.ways.map((way, at) => ({ name: way.name, when: step.chooser ? `for ${way.about || "what is not said yet"}` : `where ${way.when ?? ""}`, steps: way.steps ?? [], path: ["ways", at, "steps"] }));
    return [...ways, { name: "otherwise", when: "", steps: step.otherwise ?? [], path: ["otherwise"] }];
  }
  if (step.kind === "both") return step.branches.map((branch, at) => ({ name: branch.name, when: "", steps: branch.steps, path: ["branches", at, "steps"] }));
  return [];
}

/** All rows from top to bottom, those inside after the one that holds them. */
export function rungsOf(steps: Step[], before = "", deep = 0, path: Path = ["steps"]): Rung[] {
  const rungs: Rung[] = [];
  steps.forEach((step, number) => {
    const at = `${before}${number + 1}`;
    const here = [...path, number];
    rungs.push({ at, deep, path: here, step, head: "", when: "" });
    for (const held of heldBy(step)) {
      const within = [...here, ...held.path];
      if (held.name) rungs.push({ at: `${at}.${held.name}`, deep: deep + 1, path: within, step: null, head: held.name, when: held.when });
      rungs.push(...rungsOf(held.steps, held.name ? `${at}.${held.name}.` : `${at}.`, deep + (held.name ? 2 : 1), within));
    }
  });
  return rungs;
}

/** The place of a step in its chain, without the rounds and items of a walk. */
export const stepOfPlace = (at: string): string => at.split(".").filter((part) => !/^[rit]\d+$/.test(part)).join(".");

function valueAt(chain: Chain, path: Path): unknown {
  return path.reduce<unknown>((value, key) => (value as Record<string | number, unknown> | undefined)?.[key], chain);
}
export const stepAt = (chain: Chain, path: Path): Step | undefined => valueAt(chain, path) as Step | undefined;
/** The list in which the path ends, made where it is missing, and the place in it. */
function listOf(chain: Chain, path: Path): [Step[], number] {
  const holder = valueAt(chain, path.slice(0, -2)) as Record<string | number, Step[]>;
  const field = path.at(-2)!;
  return [(holder[field] ??= []), Number(path.at(-1))];
}

export function namesIn(chain: Chain): string[] {
  return rungsOf(chain.steps).flatMap(({ step }) => (step ? [step.name] : []));
}
export function freshName(chain: Chain, wanted: string): string {
  const taken = new Set(namesIn(chain));
  if (!taken.has(wanted)) return wanted;
  let number = 2;
  while (taken.has(`${wanted} ${number}`)) number += 1;
  return `${wanted} ${number}`;
}

/** What the nearest step before this place has written whatever way was taken; null where none has. */
export function writtenBefore(chain: Chain, path: Path): string | null {
  for (let at = path; at.length > 1; at = at.slice(0, -1)) {
    const list = valueAt(chain, at.slice(0, -1));
    if (!Array.isArray(list) || typeof at.at(-1) !== "number") continue;
    for (const step of (list as Partial<Step>[]).slice(0, Number(at.at(-1))).reverse()) {
      const writes = step.only_if || !("writes" in step) ? "" : typeof step.writes === "string" ? step.writes : Object.keys(step.writes ?? {}).at(-1);
      if (writes) return writes;
    }
  }
  return null;
}

/** What a new step of a kind starts from, that will stand at this place. */
export function blankStep(chain: Chain, kind: Kind, model: string, path: Path): Step {
  const name = freshName(chain, { ask: "answer", look_up: "look up", tool: "call a tool", set: "work out", check: "look it over", route: "which way", repeat: "until it is right", each: "for each", both: "both", vote: "vote", pause: "ask a person", call: "call a chain", collect: "find out", send: "tell them" }[kind]);
  const value = chain.state?.at(-1)?.name ?? "answer";
  const read = writtenBefore(chain, path) ?? chain.inputs?.[0]?.name ?? chain.state?.find(({ start }) => start != null)?.name ?? "message";
  const prompt = { messages: [{ role: "system" as const, parts: [{ name: "Task", text: "" }] }, { role: "user" as const, parts: [{ name: "Message", text: `{{ ${read} }}` }] }], settings: { temperature: 0.3, max_tokens: 300 }, reply: { kind: "text" as const } };
  switch (kind) {
    case "ask":
      return { kind, name, model, prompt, writes: value };
    case "vote":
      return { kind, name, model, prompt, writes: value, times: 3 };
    case "look_up":
      return { kind, name, looking: { collection: "" }, question: read, writes: value };
    case "tool":
      return { kind, name, tool: { name: "tool" }, arguments: {}, writes: value };
    case "set":
      return { kind, name, writes: { [value]: "''" } };
    case "check":
      return { kind, name, of: read, checks: [{ check: "structure.length", options: { most: 100 } }] };
    case "pause":
      return { kind, name, shows: { [read]: read } };
    case "collect":
      return { kind, name, model, fields: [{ name: "fact" }], begins: read, writes: value };
    case "send":
      return { kind, name, address: "", body: { [read]: read } };
    case "call":
      return { kind, name, chain: { kind: "chain", steps: [{ kind: "set", name: "to be filled in", writes: {} }] }, writes: value };
    case "route":
      return { kind, name, ways: [{ name: "first", when: "true", steps: [] }], otherwise: [] };
    case "repeat":
      return { kind, name, until: "true", most: 3, steps: [blankInside(chain, name, value)] };
    case "each":
      return { kind, name, over: "[]", item: "item", gives: value, writes: value, steps: [blankInside(chain, name, value)] };
    case "both":
      return { kind, name, branches: [{ name: "one", steps: [blankInside(chain, `${name} one`, value)] }, { name: "two", steps: [blankInside(chain, `${name} two`, value)] }] };
  }
}
function blankInside(chain: Chain, name: string, value: string): Step {
  return { kind: "set", name: freshName(chain, `${name}, first`), writes: { [value]: "''" } };
}

/** Put a step after the one at the path, or first into an empty list; where it stands now. */
export function addAfter(chain: Chain, path: Path | null, step: Step, inside = false): Path {
  if (path === null) {
    chain.steps.push(step);
    return ["steps", chain.steps.length - 1];
  }
  if (inside) {
    const [list] = listOf(chain, [...path, 0]);
    list.unshift(step);
    return [...path, 0];
  }
  const [list, at] = listOf(chain, path);
  list.splice(at + 1, 0, step);
  return [...path.slice(0, -1), at + 1];
}

/** A list that must hold a step gets a blank one, where the last goes. */
export function removeStep(chain: Chain, path: Path): void {
  const [list, at] = listOf(chain, path);
  const [gone] = list.splice(at, 1);
  const holder = valueAt(chain, path.slice(0, -2)) as { kind?: string } | undefined;
  const mayBeEmpty = path.at(-2) === "otherwise" || path.includes("ways");
  if (!list.length && !mayBeEmpty && gone) list.push(blankInside(chain, holder?.kind ?? "start", chain.state?.[0]?.name ?? "answer"));
}

/** One place up or down in its list; at its end out of, or into, what stands there. */
export function moveStep(chain: Chain, path: Path, by: 1 | -1): Path {
  const [list, at] = listOf(chain, path);
  const to = at + by;
  if (to >= 0 && to < list.length) {
    [list[at], list[to]] = [list[to]!, list[at]!];
    return [...path.slice(0, -1), to];
  }
  const outer = pathOfHolder(path);
  if (!outer || list.length === 1) return path;
  const [step] = list.splice(at, 1);
  const [outside, place] = listOf(chain, outer);
  const spot = by < 0 ? place : place + 1;
  outside.splice(spot, 0, step!);
  return [...outer.slice(0, -1), spot];
}
/** The path of the step that holds the one at this path. */
function pathOfHolder(path: Path): Path | null {
  if (path.length <= 2) return null;
  const field = path.at(-4);
  return field === "ways" || field === "branches" ? path.slice(0, -4) : path.slice(0, -2);
}

export function replaceStep(chain: Chain, path: Path, step: Step): void {
  const [list, at] = listOf(chain, path);
  list[at] = step;
}

export function wrapInLoop(chain: Chain, path: Path): void {
  const [list, at] = listOf(chain, path);
  list[at] = { kind: "repeat", name: freshName(chain, `until ${list[at]!.name} is right`.slice(0, 80)), until: "true", most: 3, steps: [list[at]!] };
}
export function wrapInRoute(chain: Chain, path: Path): void {
  const [list, at] = listOf(chain, path);
  list[at] = { kind: "route", name: freshName(chain, `whether to ${list[at]!.name}`.slice(0, 80)), ways: [{ name: "yes", when: "true", steps: [list[at]!] }], otherwise: [] };
}
export function doubleStep(chain: Chain, path: Path): Path {
  const step = copied(stepAt(chain, path)!);
  step.name = freshName(chain, step.name);
  const rename = (one: Step) => heldBy(one).forEach(({ steps }) => steps.forEach((each) => ((each.name = freshName(chain, each.name)), rename(each))));
  rename(step);
  return addAfter(chain, path, step);
}

/** What a step does, in a few words under its name. */
export function summaryOf(step: Step): string {
  switch (step.kind) {
    case "ask":
    case "vote":
      return [step.kept || (step.kind === "vote" ? `${step.times} times` : ""), step.model || "no model yet"].filter(Boolean).join(" · ");
    case "look_up":
      return step.looking.collection || "no collection yet";
    case "tool":
      return step.tool.kept || step.tool.name;
    case "set":
      return Object.entries(step.writes).map(([name, told]) => `${name} = ${told}`).join(", ");
    case "check":
      return step.checks.map(({ check }) => check.split(".")[1]).join(", ");
    case "route":
      return `${step.ways.length} ${step.ways.length === 1 ? "way" : "ways"}, or otherwise${step.chooser ? ` · ${step.chooser.model || "no model yet"}` : ""}`;
    case "repeat":
      return `until ${step.until} · ${step.most} at most`;
    case "each":
      return `${step.item} of ${step.over}`;
    case "both":
      return `${step.branches.length} branches`;
    case "pause":
      return `${step.hours ?? 72} h, then ${step.then ?? "refuse"}`;
    case "collect":
      return step.fields.map((field) => field.name).join(", ");
    case "send":
      return step.address || "no address yet";
    case "call":
      return step.kept || "no chain yet";
  }
}
