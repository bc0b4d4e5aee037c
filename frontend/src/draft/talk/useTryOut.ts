import { computed, onScopeDispose, ref, toRaw, watch } from "vue";

import { recall, rememberText } from "@/keep/storage";
import { askPerson, endTry, usePersonSays } from "@/api/cases";
import { messageOf } from "@/api/client";
import { useVersionContents } from "@/api/subjects";
import type { Asked, CasePage, Ending, Expectation, Input, Person, Prompt, ToolTold, ToPerson, TryOut } from "@/api/schema";
import { streamTry } from "@/api/streamTry";
import { passes } from "@/marks/passing";
import type { Mark } from "@/marks/TickStrip.vue";
import { type Column, exchangesOf, goOn, keepEarlier, newColumn, nothingYet, rewind, type Setup, setupOf, turnsOf } from "./columns";
import { asText, copied, isRecord, valueOf } from "@/parts/values";

interface Remembered {
  columns: { model: string; temperature?: number | null; settings?: Setup["settings"]; version?: number | null }[];
  inputs: Record<string, unknown>;
  caseNumber: number | null;
  repeats?: number;
  oneSeed?: boolean;
}

const SHOWN_MARKS = 20;
const REMEMBERED_CHARACTERS = 1_000_000;

interface Given {
  prompt: () => Prompt | null;
  /** Counts the changes of the prompt. */
  edits: () => number;
  inputNames: () => string[];
}

/** Trying a draft: inputs, columns, their answers and talks. Inputs and columns are remembered. */
export function useTryOut(name: string, given: Given) {
  const memory = `try.${name}`;
  const remembered = recall<Remembered>(memory);
  const inputs = ref<Record<string, unknown>>(remembered?.inputs ?? {});
  const caseNumber = ref<number | null>(remembered?.caseNumber ?? null);
  const expect = ref<Expectation>({});
  /** The inputs of the chosen case, as they are kept. */
  const keptInputs = ref<Record<string, unknown> | null>(null);
  /** What the person of the case says next, turn by turn. */
  const caseTurns = ref<string[]>([]);
  const casePerson = ref<Person | null>(null);
  const toolAnswers = ref<ToolTold[]>([]);
  /** What was said after the first words, in all columns. */
  const userTurns = ref<string[]>([]);
  const columns = ref<Column[]>(
    (remembered?.columns ?? []).map((each, at) =>
      newColumn(at + 1, {
        model: each.model,
        settings: each.settings ?? (each.temperature == null ? {} : { temperature: each.temperature }),
        version: each.version ?? null,
      }),
    ),
  );
  /** How often each column is asked in one go, and whether all columns are asked with one seed. */
  const repeats = ref(remembered?.repeats ?? 1);
  const oneSeed = ref(remembered?.oneSeed ?? false);
  const spent = ref({ calls: 0, cents: 0 });
  const busy = computed(() => columns.value.some((each) => each.busy || each.awaits));
  const versions = useVersionContents(name, () => columns.value.flatMap(({ version }) => (version === null ? [] : [version])));
  let lastId = columns.value.length;
  let round = 0;

  watch(
    [inputs, caseNumber, () => columns.value.map(setupOf), repeats, oneSeed],
    () => {
      const kept: Remembered = {
        columns: columns.value.map(setupOf),
        inputs: inputs.value,
        caseNumber: caseNumber.value,
        repeats: repeats.value,
        oneSeed: oneSeed.value,
      };
      const text = JSON.stringify(kept);
      if (text.length < REMEMBERED_CHARACTERS) rememberText(memory, text);
    },
    { deep: true },
  );

  /** The inputs as they are sent: those that the draft asks for, in the kind that it says. */
  const sent = computed(() => {
    const described = given.prompt()?.inputs ?? [];
    return Object.fromEntries(
      given.inputNames().map((input) => [input, asSent(inputs.value[input], described.find((each) => each.name === input))]),
    );
  });

  // Repeats count for one text and one draft only.
  watch(
    [given.edits, () => JSON.stringify(sent.value)],
    () => {
      for (const each of columns.value) each.marks = [];
    },
  );

  function useCase(kept: CasePage | null): void {
    caseNumber.value = kept?.number ?? null;
    know(kept);
    if (!kept) return;
    inputs.value = copied(kept.content.inputs ?? {});
    startOver();
  }

  /** What is kept of the chosen case beside its inputs, which may have been changed here. */
  function know(kept: CasePage | null): void {
    expect.value = kept?.content.expect ?? {};
    caseTurns.value = kept?.content.turns ?? [];
    casePerson.value = kept?.content.person ?? null;
    toolAnswers.value = kept?.content.tool_answers ?? [];
    keptInputs.value = kept?.content.inputs ?? null;
  }
  /** The case's text was changed for this try: what is expected of the case is not expected of it. */
  const changed = computed(
    () => keptInputs.value !== null && given.inputNames().some((input) => asText(keptInputs.value?.[input]) !== asText(inputs.value[input])),
  );

  /** The answers of the first column: by them the person of the case says the next words, to all columns. */
  const heard = computed(() => (columns.value[0] ? exchangesOf(columns.value[0]).map(({ answer }) => answer.answer) : []));
  const says = usePersonSays(
    computed(() => ({ answers: heard.value, case: { turns: caseTurns.value, person: casePerson.value } })),
    () => casePerson.value !== null && !casePerson.value.persona && heard.value.length > 0,
  );
  /** Whether the talk goes on by itself: the person of the case has something to say, in turns, by rules or played. */
  const plays = computed(() => casePerson.value !== null || caseTurns.value.length > 0);
  const byRules = computed(() => (casePerson.value && !says.isPlaceholderData.value ? (says.data.value ?? null) : null));

  function startOver(): void {
    round += 1; // whatever goes on ends
    userTurns.value = [];
    for (const each of columns.value) {
      each.stop?.abort();
      Object.assign(each, { past: [], said: null, answer: null, asked: null, before: [], error: "", stopped: false, marks: [], ended: "" });
      each.coming = nothingYet();
    }
  }

  function addColumn(setup: Setup): void {
    lastId += 1;
    columns.value.push(newColumn(lastId, setup));
  }

  function removeColumn(id: number): void {
    const at = columns.value.findIndex((each) => each.id === id);
    columns.value[at]?.stop?.abort();
    if (at >= 0) columns.value.splice(at, 1);
  }

  function bodyFor(each: Column, seed: number | null = null): TryOut | null {
    const content = each.version === null ? given.prompt() : versions.contentOf(each.version);
    if (!content) return null;
    return {
      content: toRaw(content),
      inputs: sent.value,
      model: each.model,
      settings: each.settings,
      expect: changed.value ? {} : expect.value,
      seed,
      turns: turnsOf(each),
      tool_answers: toolAnswers.value,
      case: caseNumber.value,
      version: each.version,
    };
  }

  async function ask(id: number, seed: number | null = null): Promise<void> {
    const each = columns.value.find((column) => column.id === id);
    if (!each || each.busy) return;
    keepEarlier(each, sent.value, given.edits());
    Object.assign(each, { busy: true, error: "", answer: null, stopped: false });
    each.coming = nothingYet();
    each.asked = { ...copied({ ...setupOf(each), inputs: sent.value }), edits: given.edits() };
    each.stop = new AbortController();
    try {
      if (each.version !== null) await versions.fetchContent(each.version);
      const body = bodyFor(each, seed);
      if (!body) throw new Error("There is no draft to ask with.");
      const answer = await streamTry(name, body, each.stop.signal, (piece) => {
        if (piece.kind === "allow") each.coming.allow = piece.call;
        else if (piece.kind === "tool") Object.assign(each.coming, { allow: null, tools: [...each.coming.tools, piece.use] });
        else each.coming[piece.kind] += piece.text;
      });
      each.answer = answer;
      each.marks = [...each.marks, passes(answer.findings) ? "passed" : "failed"].slice(-SHOWN_MARKS) as Mark[];
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

  /** A changed record shows what it changes in the answer: the one before stands beside it. */
  function recordsChanged(each: Column): boolean {
    if (!each.answer || !each.asked) return false;
    const before = each.asked.inputs;
    return Object.entries(sent.value).some(
      ([input, value]) => isRecord(value) && isRecord(before[input]) && JSON.stringify(value) !== JSON.stringify(before[input]),
    );
  }

  const newSeed = () => (oneSeed.value ? Math.floor(Math.random() * 2 ** 31) : null);

  /** Columns side by side, one repeat after the other, so that a stop leaves them even. */
  async function askAll(): Promise<void> {
    round += 1;
    const mine = round;
    for (const each of columns.value) each.before = recordsChanged(each) ? exchangesOf(each).map(({ answer }) => answer.answer) : [];
    for (let repeat = 0; repeat < repeats.value && mine === round; repeat += 1) {
      const seed = newSeed();
      await Promise.all(columns.value.map((each) => ask(each.id, seed)));
    }
  }
  function stopAll(): void {
    round += 1;
    for (const each of columns.value) each.stop?.abort();
  }

  /** The person says something next: every column that has answered goes on. */
  async function sayNext(text: string): Promise<void> {
    const on = columns.value.filter((each) => each.answer && !each.busy);
    if (!on.length || !text.trim()) return;
    userTurns.value.push(text);
    for (const each of on) goOn(each, text);
    const seed = newSeed();
    await Promise.all(on.map((each) => ask(each.id, seed)));
  }

  /** Ask again from the turn `at` on, with the same things said; the old answers stay to compare with. */
  async function replay(at = 0): Promise<void> {
    round += 1;
    const mine = round;
    const said = [null, ...userTurns.value];
    const seed = newSeed();
    await Promise.all(
      columns.value.map(async (each) => {
        rewind(each, at, said[at] ?? null);
        for (let turn = at; turn < said.length && mine === round; turn += 1) {
          if (turn > at) goOn(each, said[turn]!);
          await ask(each.id, seed);
          if (!each.answer) return;
        }
      }),
    );
  }

  /** The whole talk by itself, in each column by its own answers, until the person of the case ends it. */
  async function play(): Promise<void> {
    startOver();
    const mine = round;
    const seed = newSeed();
    const person = { turns: caseTurns.value, person: casePerson.value, inputs: sent.value };
    await Promise.all(columns.value.map((each) => playIn(each.id, person, seed, mine)));
  }
  async function playIn(id: number, person: ToPerson["case"], seed: number | null, mine: number): Promise<void> {
    const column = () => columns.value.find((each) => each.id === id);
    await ask(id, seed);
    for (let each = column(); each?.answer && mine === round; each = column()) {
      const so = exchangesOf(each);
      each.awaits = true;
      try {
        const next = await askPerson({
          answers: so.map(({ answer }) => answer.answer),
          said: so.flatMap(({ said }) => (said === null ? [] : [said])),
          case: person,
        });
        spent.value.cents += next.cents;
        if (mine !== round) return;
        if (next.ended) await end(each, next.ended);
        if (next.said === null) return;
        if (each === columns.value[0]) userTurns.value.push(next.said);
        goOn(each, next.said);
      } catch (wrong) {
        each.error = messageOf(wrong);
        return;
      } finally {
        each.awaits = false;
      }
      await ask(id, seed);
    }
  }

  /** Its last answer was the talk's last: what needs the end of a talk is found now. What models judged stays. */
  async function end(each: Column, ended: Ending["ended"]): Promise<void> {
    each.ended = ended;
    const { answer } = each;
    if (!answer?.try_id) return;
    const { findings } = await endTry(name, answer.try_id, ended);
    if (each.answer !== answer) return;
    const judged = answer.findings.filter(({ measure }) => findings.every((found) => found.measure !== measure));
    answer.findings = [...findings, ...judged].sort((one, other) => one.measure - other.measure);
    each.marks = [...each.marks.slice(0, -1), passes(answer.findings) ? "passed" : "failed"];
    answer.not_checked = answer.not_checked.filter((why) => !why.startsWith("Told once a talk is over"));
  }
  // A talk played by hand ends by the rules of the case's person, for the first column.
  watch(
    () => (says.isPlaceholderData.value ? null : byRules.value?.ended),
    (ended) => {
      const first = columns.value[0];
      if (ended && first?.answer && !first.ended) end(first, ended).catch((wrong: unknown) => (first.error = messageOf(wrong)));
    },
  );

  async function editTurn(at: number, text: string): Promise<void> {
    if (busy.value) return;
    userTurns.value[at - 1] = text;
    await replay(at);
  }

  /** Be again as a try of the history was. */
  function bringBack(asked: Asked): void {
    inputs.value = { ...asked.inputs };
    caseNumber.value = asked.case ?? null;
    expect.value = asked.expect ?? {};
    toolAnswers.value = asked.tool_answers ?? [];
    startOver();
    // What was said then can be said again, turn by turn.
    caseTurns.value = (asked.turns ?? []).filter(({ role }) => role === "user").map(({ text }) => text);
    columns.value = columns.value.slice(0, 1);
    if (columns.value[0]) Object.assign(columns.value[0], { model: asked.model, settings: asked.settings ?? {}, version: null });
    else addColumn({ model: asked.model, settings: asked.settings ?? {}, version: null });
  }

  onScopeDispose(stopAll);

  return {
    inputs, sent, caseNumber, expect, changed, know, caseTurns, byRules, hasRules: computed(() => casePerson.value !== null), userTurns, columns, repeats, oneSeed, spent, busy,
    useCase, addColumn, removeColumn, bodyFor, ask, askAll, stopAll, sayNext, replay, play, plays, editTurn, startOver, bringBack,
  };
}

/** A value as the input's kind wants it. One that is not described may be JSON of a list or record. */
function asSent(value: unknown, described: Input | undefined): unknown {
  const kind = described?.kind ?? "text";
  if (typeof value !== "string") return value ?? (kind === "list" || kind === "passages" || kind === "dialogue" ? [] : kind === "record" ? {} : "");
  if (!described) return valueOf(value);
  if (kind === "list") return value.split("\n").map((line) => line.trim()).filter(Boolean);
  return kind === "text" || kind === "choice" || kind === "number" || kind === "image" ? value : valueOf(value);
}
