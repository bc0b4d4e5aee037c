/** A case as it is typed into fields, and back: what was not edited stays as it is kept, kind for kind. */
import type { Case, CasePage, Expectation, Move } from "@/api/schema";
import { differing } from "@/keep/onTop";
import { asText, listFrom, valueLike } from "@/parts/values";
import { collectFrom, collectTexts, linesOf, personFrom, personTexts, type PersonTexts, toldFrom, toldTexts, toolsFrom, toolTexts } from "./talkTexts";

export type Choice = "" | "yes" | "no";
export interface Texts {
  inputs: Record<string, string>;
  label: string;
  /** Others that would be right, too, with commas between. */
  labels: string;
  answer: string;
  /** One a line. */
  mustSay: string;
  mustNotSay: string;
  /** Whether the inputs say what is asked, and whether it should be declined; empty where nothing is expected. */
  known: Choice;
  refuse: Choice;
  /** What the person says next, each turn a text of its own. */
  turns: string[];
  person: PersonTexts;
  /** How the talk should end. */
  ends: string;
  /** What the talk is to find out, one a line, and words by which its result is known. */
  collect: string;
  result: string;
  /** One a line. */
  neverAsks: string;
  goodbye: Choice;
  /** Tools that are called, in order, one a line; and those that never are. */
  tools: string;
  neverTools: string;
  /** What tools answer for this case, one a line. */
  toolAnswers: string;
  /** How far numbers may be off the right answer's. */
  within: string;
  /** A query whose rows are the right ones, and the source that it is run on. */
  query: string;
  source: string;
  /** How the answer must move against that to the original; null for a case that is paired with none. */
  moves: Move[] | null;
  /** With commas between. */
  tags: string;
  /** Who gave it which label, `Ann: refund` a line. */
  labelled: string;
  note: string;
  owner: string;
}

type Field = keyof Texts;
export const FIELDS: Record<Field, string> = {
  inputs: "inputs",
  label: "label",
  labels: "other labels",
  answer: "right answer",
  mustSay: "words it must say",
  mustNotSay: "words it must not say",
  known: "whether the inputs tell",
  refuse: "whether to decline",
  turns: "turns",
  person: "rules of the person",
  ends: "how the talk ends",
  collect: "what the talk finds out",
  result: "words of the result",
  neverAsks: "what it never asks for",
  goodbye: "whether it says goodbye",
  tools: "tools that are called",
  neverTools: "tools that are never called",
  toolAnswers: "what tools answer",
  within: "how far numbers may be off",
  query: "reference query",
  source: "source of the query",
  moves: "how the answer must move",
  tags: "tags",
  labelled: "labels that people gave it",
  note: "note",
  owner: "owner",
};

export function textsOf(content: Case): Texts {
  const { inputs = {}, expect, turns = [], tags = [] } = content;
  return {
    inputs: Object.fromEntries(Object.entries(inputs).map(([key, value]) => [key, asText(value)])),
    label: expect?.label ?? "",
    labels: (expect?.labels ?? []).join(", "),
    answer: expect?.answer ?? "",
    mustSay: (expect?.must_say ?? []).join("\n"),
    mustNotSay: (expect?.must_not_say ?? []).join("\n"),
    known: choiceOf(expect?.known),
    refuse: choiceOf(expect?.refuse),
    turns: [...turns],
    person: personTexts(content.person),
    ends: expect?.ends ?? "",
    collect: collectTexts(expect?.collect),
    result: expect?.result ?? "",
    neverAsks: (expect?.never_asks ?? []).join("\n"),
    goodbye: choiceOf(expect?.goodbye),
    tools: toolTexts(expect?.tools),
    neverTools: (expect?.never_tools ?? []).join("\n"),
    toolAnswers: toldTexts(content.tool_answers),
    within: expect?.within == null ? "" : String(expect.within),
    query: expect?.query ?? "",
    source: expect?.source ?? "",
    moves: content.pair ? (content.pair.moves ?? []).map((move) => ({ ...move })) : null,
    tags: tags.join(", "),
    labelled: (content.labelled ?? []).map(({ by, label }) => `${by}: ${label}`).join("\n"),
    note: content.note ?? "",
    owner: content.owner ?? "",
  };
}

/** The content with the edits in it. */
export function contentWith(content: Case, texts: Texts): Case {
  const changed = new Set(differing(texts, textsOf(content)));
  const taken = <T>(field: Field, now: T, kept: T | undefined): T => (changed.has(field) || kept === undefined ? now : kept);
  const { expect } = content;
  const inputs = Object.entries(texts.inputs).map(([key, text]) => [key, valueLike(content.inputs?.[key], text)]);
  return {
    ...content,
    inputs: Object.fromEntries(inputs) as Record<string, unknown>,
    expect: {
      ...expect,
      label: taken("label", texts.label.trim() || null, expect?.label),
      labels: taken("labels", listFrom(texts.labels), expect?.labels),
      answer: taken("answer", texts.answer.trim() ? texts.answer : null, expect?.answer),
      known: taken("known", chosenIn(texts.known), expect?.known),
      refuse: taken("refuse", chosenIn(texts.refuse), expect?.refuse),
      ends: taken("ends", (texts.ends || null) as Expectation["ends"], expect?.ends),
      collect: taken("collect", collectFrom(texts.collect), expect?.collect),
      result: taken("result", texts.result.trim(), expect?.result),
      never_asks: taken("neverAsks", linesOf(texts.neverAsks), expect?.never_asks),
      goodbye: taken("goodbye", chosenIn(texts.goodbye), expect?.goodbye),
      tools: taken("tools", toolsFrom(texts.tools), expect?.tools),
      never_tools: taken("neverTools", linesOf(texts.neverTools), expect?.never_tools),
      within: taken("within", texts.within.trim() === "" || !(Number(texts.within) >= 0) ? null : Number(texts.within), expect?.within),
      query: taken("query", texts.query.trim(), expect?.query),
      source: taken("source", texts.source.trim(), expect?.source),
      must_say: taken("mustSay", linesOf(texts.mustSay), expect?.must_say),
      must_not_say: taken("mustNotSay", linesOf(texts.mustNotSay), expect?.must_not_say),
    },
    tool_answers: taken("toolAnswers", toldFrom(texts.toolAnswers), content.tool_answers),
    turns: taken("turns", texts.turns.filter((turn) => turn.trim()), content.turns),
    person: changed.has("person") ? personFrom(texts.person, content.person) : content.person,
    pair: changed.has("moves") && content.pair ? { ...content.pair, moves: texts.moves ?? [] } : content.pair,
    tags: taken("tags", listFrom(texts.tags), content.tags),
    labelled: taken("labelled", labelledFrom(texts.labelled), content.labelled),
    note: taken("note", texts.note, content.note),
    owner: taken("owner", texts.owner.trim(), content.owner),
  };
}

function labelledFrom(text: string): { by: string; label: string }[] {
  return linesOf(text).map((line) => {
    const [by, ...rest] = line.split(":");
    return rest.length ? { by: by!.trim(), label: rest.join(":").trim() } : { by: "", label: line };
  });
}

const choiceOf = (value: boolean | null | undefined): Choice => (value == null ? "" : value ? "yes" : "no");
const chosenIn = (choice: Choice) => (choice === "" ? null : choice === "yes");

export function blankCase(inputs: string[]): CasePage {
  return {
    number: 0,
    title: "",
    revision: 0,
    content: { inputs: Object.fromEntries(inputs.map((input) => [input, ""])), expect: {}, tags: [], turns: [], origin: "typed" },
    updated_at: "",
    changed_by: "",
    deleted: false,
  };
}
