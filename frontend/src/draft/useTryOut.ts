import { computed, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import type { CasePage, Prompt, TriedAnswer } from "@/api/schema";
import { streamTry } from "@/api/streamTry";
import type { Mark } from "@/marks/TickStrip.vue";

/** One column: a model with a temperature of its own, or the prompt's. */
export interface Column {
  id: number;
  model: string;
  temperature: number | null;
  answer: TriedAnswer | null;
  /** What has come so far of an answer that is being written, or that was stopped. */
  coming: { content: string; reasoning: string };
  stopped: boolean;
  error: string;
  busy: boolean;
  /** Answers to just this draft and these inputs, oldest first. */
  marks: Mark[];
  stop: AbortController | null;
}

interface Remembered {
  columns: { model: string; temperature: number | null }[];
  inputs: Record<string, string>;
  caseNumber: number | null;
  repeats?: number;
  oneSeed?: boolean;
}

const SHOWN_MARKS = 20;

/** Trying a draft: the inputs, the columns and their answers. Inputs and columns are remembered. */
export function useTryOut(name: string, prompt: () => Prompt | null, inputNames: () => string[]) {
  const memory = `epistem.try.${name}`;
  const remembered = read(memory);
  const inputs = ref<Record<string, string>>(remembered?.inputs ?? {});
  const caseNumber = ref<number | null>(remembered?.caseNumber ?? null);
  const expected = ref<string | null>(null);
  const columns = ref<Column[]>((remembered?.columns ?? []).map((c, at) => column(at + 1, c.model, c.temperature)));
  /** How often each column is asked in one go, and whether all columns are asked with one seed. */
  const repeats = ref(remembered?.repeats ?? 1);
  const oneSeed = ref(remembered?.oneSeed ?? false);
  const spent = ref({ calls: 0, cents: 0 });
  const busy = computed(() => columns.value.some((c) => c.busy));
  let lastId = columns.value.length;
  let round = 0;

  watch(
    [inputs, caseNumber, columns, repeats, oneSeed],
    () => {
      const kept: Remembered = {
        columns: columns.value.map(({ model, temperature }) => ({ model, temperature })),
        inputs: inputs.value,
        caseNumber: caseNumber.value,
        repeats: repeats.value,
        oneSeed: oneSeed.value,
      };
      try {
        localStorage.setItem(memory, JSON.stringify(kept));
      } catch {
        // Nothing depends on it.
      }
    },
    { deep: true },
  );

  /** The inputs that the draft asks for; ones that it no longer does stay in memory only. */
  const given = computed(() =>
    Object.fromEntries(inputNames().map((input) => [input, valueOf(inputs.value[input] ?? "")])),
  );

  // Repeats count for one text and one draft only.
  watch(
    () => JSON.stringify([prompt(), given.value]),
    () => {
      for (const each of columns.value) each.marks = [];
    },
  );

  function useCase(kept: CasePage | null): void {
    caseNumber.value = kept?.number ?? null;
    expected.value = kept?.content.expect?.label ?? null;
    if (!kept) return;
    const texts = Object.entries(kept.content.inputs ?? {}).map(([key, value]) => [
      key,
      typeof value === "string" ? value : JSON.stringify(value, null, 2),
    ]);
    inputs.value = Object.fromEntries(texts) as Record<string, string>;
  }

  function addColumn(model: string, temperature: number | null = null): void {
    lastId += 1;
    columns.value.push(column(lastId, model, temperature));
  }

  function removeColumn(id: number): void {
    const at = columns.value.findIndex((each) => each.id === id);
    columns.value[at]?.stop?.abort();
    if (at >= 0) columns.value.splice(at, 1);
  }

  function bodyFor(each: { model: string; temperature: number | null }) {
    return {
      content: prompt() as Prompt,
      inputs: given.value,
      model: each.model,
      settings: each.temperature === null ? {} : { temperature: each.temperature },
      expect: { label: expected.value },
    };
  }

  async function ask(id: number, seed: number | null = null): Promise<void> {
    const each = columns.value.find((c) => c.id === id);
    if (!each || each.busy || !prompt()) return;
    Object.assign(each, { busy: true, error: "", answer: null, stopped: false });
    each.coming = { content: "", reasoning: "" };
    each.stop = new AbortController();
    try {
      const answer = await streamTry(name, { ...bodyFor(each), seed }, each.stop.signal, ({ kind, text }) => {
        each.coming[kind] += text;
      });
      each.answer = answer;
      each.marks = [...each.marks, answer.findings.every((f) => f.passed) ? "passed" : "failed"].slice(-SHOWN_MARKS) as Mark[];
      spent.value.calls += answer.attempts;
      spent.value.cents += answer.cents;
    } catch (wrong) {
      if (each.stop?.signal.aborted) {
        each.stopped = true;
        return;
      }
      each.error = messageOf(wrong);
      each.marks = [...each.marks, "unanswered" as Mark].slice(-SHOWN_MARKS);
    } finally {
      each.busy = false;
      each.stop = null;
    }
  }

  /** Columns side by side, one repeat after the other, so that a stop leaves them even. */
  async function askAll(): Promise<void> {
    round += 1;
    const mine = round;
    for (let repeat = 0; repeat < repeats.value && mine === round; repeat += 1) {
      const seed = oneSeed.value ? Math.floor(Math.random() * 2 ** 31) : null;
      await Promise.all(columns.value.map((each) => ask(each.id, seed)));
    }
  }
  function stopAll(): void {
    round += 1;
    for (const each of columns.value) each.stop?.abort();
  }

  return { inputs, given, caseNumber, expected, columns, repeats, oneSeed, spent, busy, useCase, addColumn, removeColumn, bodyFor, ask, askAll, stopAll };
}

function column(id: number, model: string, temperature: number | null): Column {
  const coming = { content: "", reasoning: "" };
  return { id, model, temperature, answer: null, coming, stopped: false, error: "", busy: false, marks: [], stop: null };
}

function read(key: string): Remembered | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "null") as Remembered | null;
  } catch {
    return null;
  }
}

/** What was typed for an input: a record or list where it is JSON of one, else the text itself. */
export function valueOf(text: string): unknown {
  if (!/^\s*[[{]/.test(text)) return text;
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}
