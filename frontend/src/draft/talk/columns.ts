import type { Waiting } from "@/api/streamTry";
import type { Settings, ToolUse, TriedAnswer, Turn } from "@/api/schema";
import type { Mark } from "@/marks/TickStrip.vue";

/** One answer of a talk, and what the person said to get it: null for the first words. */
export interface Exchange {
  said: string | null;
  answer: TriedAnswer;
}

/** What a column asks, apart from the inputs. */
export interface Setup {
  model: string;
  /** Settings over those of the prompt. */
  settings: Settings;
  /** A version, or the draft as it stands. */
  version: number | null;
}

/** What an answer is an answer to. */
export interface AskedWith extends Setup {
  inputs: Record<string, unknown>;
  /** How often the draft had been changed, where it was the draft that was asked. */
  edits: number;
}

export interface Column extends Setup {
  id: number;
  /** Answers before the current one, oldest first. */
  past: Exchange[];
  said: string | null;
  answer: TriedAnswer | null;
  /** What has come so far of an answer that is being written, or that was stopped. */
  coming: { content: string; reasoning: string; tools: ToolUse[]; allow: Waiting | null };
  stopped: boolean;
  error: string;
  busy: boolean;
  /** The person of the case is asked what they say. */
  awaits: boolean;
  /** How a talk that was played by itself ended; "" while it goes on. */
  ended: string;
  /** Answers to just this draft, these inputs and this talk, oldest first. */
  marks: Mark[];
  stop: AbortController | null;
  /** What the answer was asked with. */
  asked: AskedWith | null;
  /** The answers of the run before a replay, turn by turn. */
  before: string[];
  /** What the same inputs were answered before the last change, and what was changed. */
  earlier: { text: string; passed: number; checks: number; changed: string[] } | null;
}

export const nothingYet = (): Column["coming"] => ({ content: "", reasoning: "", tools: [], allow: null });

export function newColumn(id: number, setup: Setup): Column {
  return {
    ...setup,
    id,
    past: [],
    said: null,
    answer: null,
    coming: nothingYet(),
    stopped: false,
    error: "",
    busy: false,
    awaits: false,
    ended: "",
    marks: [],
    stop: null,
    before: [],
    asked: null,
    earlier: null,
  };
}

export function setupOf({ model, settings, version }: Setup): Setup {
  return { model, settings: { ...settings }, version };
}

/** What was said after the first words, beginning with the first answer. */
export function turnsOf(column: Column): Turn[] {
  return column.past.flatMap(({ answer }, at) => [
    { role: "assistant" as const, text: answer.answer },
    { role: "user" as const, text: column.past[at + 1]?.said ?? column.said ?? "" },
  ]);
}

/** All answers of the talk, the current one included. */
export function exchangesOf(column: Column): Exchange[] {
  return column.answer ? [...column.past, { said: column.said, answer: column.answer }] : column.past;
}

/** Go on from the current answer with what the person says next. */
export function goOn(column: Column, text: string): void {
  if (column.answer) column.past.push({ said: column.said, answer: column.answer });
  column.said = text;
  column.answer = null;
  column.ended = "";
  column.marks = [];
}

/** Forget all answers from the turn `at` on; what was answered is kept to compare with. */
export function rewind(column: Column, at: number, said: string | null): void {
  column.before = exchangesOf(column).map(({ answer }) => answer.answer);
  column.past = column.past.slice(0, at);
  column.said = said;
  column.answer = null;
  column.error = column.ended = "";
  column.stopped = false;
  column.marks = [];
}

/** What has changed since the column's answer was asked for; empty where it answers what stands there now. */
export function changedSince(column: Column, inputs: Record<string, unknown>, edits: number): string[] {
  const { asked } = column;
  if (!asked) return [];
  const differs = (one: unknown, other: unknown) => JSON.stringify(one) !== JSON.stringify(other);
  return [
    asked.model !== column.model && "model",
    differs(set(asked.settings), set(column.settings)) && "settings",
    asked.version !== column.version && "version",
    asked.version === null && column.version === null && asked.edits !== edits && "draft",
    differs(asked.inputs, inputs) && "text",
  ].filter((each) => each !== false);
}

/** Keep what stands there as the answer before, if something but the inputs has changed since. */
export function keepEarlier(column: Column, inputs: Record<string, unknown>, edits: number): void {
  const changed = changedSince(column, inputs, edits);
  const { answer, past } = column;
  if (changed.includes("text") || past.length) column.earlier = null;
  else if (answer && changed.length) {
    const passed = answer.findings.filter((finding) => finding.passed).length;
    column.earlier = { text: answer.answer, passed, checks: answer.findings.length, changed };
  }
}

/** As a person names it: `gannet-l, t 0.2, v3`. */
export function nameOf({ model, settings, version }: Setup): string {
  const told = Object.entries(set(settings)).map(([name, value]) => `${SHORT[name] ?? name} ${String(value)}`);
  return [model, ...told, version === null ? "draft" : `v${version}`].join(", ");
}

const SHORT: Record<string, string> = { temperature: "temp.", top_p: "top p", frequency_penalty: "freq.", presence_penalty: "pres.", max_tokens: "limit" };
const set = (settings: Settings) => Object.fromEntries(Object.entries(settings).filter(([, value]) => value !== null && value !== undefined));
