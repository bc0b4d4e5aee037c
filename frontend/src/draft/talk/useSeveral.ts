import { useQueryClient } from "@tanstack/vue-query";
import { computed, onScopeDispose, ref, toRaw } from "vue";

import { fetchCase } from "@/api/cases";
import { messageOf } from "@/api/client";
import { streamTry } from "@/api/streamTry";
import type { CasePage, Prompt, TriedAnswer } from "@/api/schema";
import { recall, remember } from "@/keep/storage";
import { passes } from "@/marks/passing";
import type { Setup } from "./columns";

export const MOST_AT_ONCE = 24;
const SIDE_BY_SIDE = 4;

export interface Outcome {
  text: string;
  passed: boolean;
  failed: string[];
  /** How often the draft had been changed then. */
  edits: number;
}
export interface Row {
  number: number;
  page: CasePage | null;
  now: Outcome | null;
  /** What came of the draft as it was before the last edit. */
  before: Outcome | null;
  busy: boolean;
  error: string;
}

const rowOf = (number: number): Row => ({ number, page: null, now: null, before: null, busy: false, error: "" });
const outcomeOf = (answer: TriedAnswer, edits: number): Outcome => ({
  text: answer.answer,
  passed: passes(answer.findings),
  failed: answer.findings.filter((finding) => finding.passed === false).map((finding) => finding.title),
  edits,
});

/** The draft asked about several cases at once, and what came of them before the last edit. */
export function useSeveral(name: string, given: { prompt: () => Prompt; edits: () => number; setup: () => Setup | undefined }) {
  const queries = useQueryClient();
  const memory = `several.${name}`;
  const rows = ref<Row[]>((recall<number[]>(memory) ?? []).map(rowOf));
  const spent = ref({ calls: 0, cents: 0 });
  const busy = computed(() => rows.value.some((row) => row.busy));
  let stop: AbortController | null = null;

  function choose(numbers: number[]): void {
    const there = new Map(rows.value.map((row) => [row.number, row]));
    rows.value = [...new Set(numbers)].slice(0, MOST_AT_ONCE).map((number) => there.get(number) ?? rowOf(number));
    remember(memory, rows.value.map((row) => row.number));
    for (const row of rows.value) void load(row.number);
  }
  const rowAt = (number: number) => rows.value.find((row) => row.number === number);
  async function load(number: number): Promise<void> {
    try {
      const page = await fetchCase(queries, name, number);
      const row = rowAt(number);
      if (row) row.page = page;
    } catch (wrong) {
      const row = rowAt(number);
      if (row) row.error = messageOf(wrong);
    }
  }
  for (const row of rows.value) void load(row.number);

  async function ask(number: number, signal: AbortSignal): Promise<void> {
    if (rowAt(number)?.page === null) await load(number);
    const row = rowAt(number);
    const setup = given.setup();
    if (!row?.page || !setup || signal.aborted) return;
    const edits = given.edits();
    if (row.now && row.now.edits !== edits) row.before = row.now;
    Object.assign(row, { busy: true, error: "" });
    try {
      const body = {
        content: toRaw(given.prompt()),
        inputs: row.page.content.inputs ?? {},
        model: setup.model,
        settings: setup.settings,
        expect: row.page.content.expect ?? {},
        tool_answers: row.page.content.tool_answers ?? [],
        case: number,
        version: null,
      };
      const answer = await streamTry(name, body, signal, () => undefined);
      spent.value.calls += answer.attempts;
      spent.value.cents += answer.cents;
      row.now = outcomeOf(answer, edits);
    } catch (wrong) {
      if (!signal.aborted) row.error = messageOf(wrong);
    } finally {
      row.busy = false;
    }
  }

  /** All of them, a few side by side; stopped, those that are there stay. */
  async function askAll(): Promise<void> {
    if (busy.value) return;
    stop = new AbortController();
    const { signal } = stop;
    const waiting = rows.value.map((row) => row.number);
    const lane = async () => {
      for (let next = waiting.shift(); next !== undefined; next = waiting.shift()) await ask(next, signal);
    };
    await Promise.all(Array.from({ length: SIDE_BY_SIDE }, lane));
  }
  const stopAll = () => stop?.abort();
  onScopeDispose(stopAll);

  return { rows, spent, busy, choose, askAll, stopAll };
}
