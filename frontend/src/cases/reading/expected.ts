/** What a right answer is, as sentences; each with the check that judges it. */
import type { CheckUse, Expectation } from "@/api/schema";

export interface Sentence {
  /** The field it stands for. */
  field: string;
  /** Plain words, and the words of the case between them. */
  told: { text: string; quoted?: boolean }[];
  /** Checks of which one judges it. */
  judgedBy: string[];
}

function either(words: string[]): Sentence["told"] {
  return words.flatMap((text, at) => [...(at ? [{ text: at === words.length - 1 ? " or " : ", " }] : []), { text, quoted: true }]);
}

function all(words: string[]): Sentence["told"] {
  return words.flatMap((text, at) => [...(at ? [{ text: at === words.length - 1 ? " and " : ", " }] : []), { text, quoted: true }]);
}

const ENDS: Record<NonNullable<Expectation["ends"]>, string> = {
  done: "The talk ends when the person has nothing left to say.",
  "gave up": "The talk ends because the person leaves.",
  silent: "The talk ends in silence: the person says nothing any more.",
  "too long": "The talk reaches its limit.",
};

export function sentencesOf(expect: Expectation | undefined): Sentence[] {
  const found: Sentence[] = [];
  const { label, labels, answer, must_say, must_not_say, known, refuse, ends, collect, result, never_asks, goodbye, tools, never_tools, within, query, source } = expect ?? {};
  if (label) found.push({ field: "label", told: [{ text: "Its label is " }, ...either([label, ...(labels ?? [])]), { text: "." }], judgedBy: ["outcome.label"] });
  if (must_say?.length) found.push({ field: "mustSay", told: [{ text: "It says " }, ...all(must_say), { text: "." }], judgedBy: ["outcome.must_say"] });
  if (must_not_say?.length) found.push({ field: "mustNotSay", told: [{ text: "It never says " }, ...either(must_not_say), { text: "." }], judgedBy: ["outcome.must_not_say"] });
  if (known != null) found.push({ field: "known", told: [{ text: known ? "It answers: the inputs say what is asked." : "It says that it does not know: the inputs do not tell." }], judgedBy: ["grounding.not_known"] });
  if (refuse != null) found.push({ field: "refuse", told: [{ text: refuse ? "It declines." : "It does not decline." }], judgedBy: ["safety.refuses"] });
  if (collect?.length) {
    const facts = collect.flatMap(({ what, value, by }, at) => [
      { text: `${at ? ", " : ""}${what} ` },
      ...either(value.split("|").map((way) => way.trim())),
      ...(by == null ? [] : [{ text: by === 0 ? " (from the first words)" : ` (by answer ${by})` }]),
    ]);
    found.push({ field: "collect", told: [{ text: "It finds out " }, ...facts, { text: "." }], judgedBy: ["outcome.collected"] });
  }
  if (result) found.push({ field: "result", told: [{ text: "Its result comes after all that is found out, known by " }, ...either(result.split("|").map((way) => way.trim())), { text: "." }], judgedBy: ["outcome.result_after"] });
  if (never_asks?.length) found.push({ field: "neverAsks", told: [{ text: "It never asks for " }, ...either(never_asks), { text: "." }], judgedBy: ["outcome.never_asks"] });
  if (goodbye) found.push({ field: "goodbye", told: [{ text: "It says goodbye once, at the end." }], judgedBy: ["outcome.goodbye"] });
  if (tools?.length) found.push({ field: "tools", told: [{ text: "It calls " }, { text: tools.map(({ name, arguments: given }) => (given && Object.keys(given).length ? `${name} with ${JSON.stringify(given)}` : name)).join(", then ") }, { text: "." }], judgedBy: ["outcome.tools"] });
  if (never_tools?.length) found.push({ field: "neverTools", told: [{ text: `It never calls ${never_tools.join(" or ")}.` }], judgedBy: ["outcome.tools"] });
  if (query) found.push({ field: "query", told: [{ text: "Its query gives the same rows as " }, { text: query, quoted: true }, { text: source ? ` on ${source}.` : "." }], judgedBy: ["outcome.query_rows"] });
  if (ends) found.push({ field: "ends", told: [{ text: ENDS[ends] }], judgedBy: ["outcome.ends"] });
  if (answer) found.push({ field: "answer", told: [{ text: "An answer that would be right: " }, { text: answer, quoted: true }, ...(within == null ? [] : [{ text: `, numbers within ${within}` }])], judgedBy: ["outcome.fields", "grounding.reference"] });
  return found;
}

/** Whether a check of the prompt judges it. A right answer may stand there to be read alone. */
export function isGuarded(sentence: Sentence, checks: CheckUse[]): boolean {
  return checks.some((use) => sentence.judgedBy.includes(use.check));
}
