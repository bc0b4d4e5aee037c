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
  "too long": "The talk reaches its limit.",
};

export function sentencesOf(expect: Expectation | undefined): Sentence[] {
  const found: Sentence[] = [];
  const { label, labels, answer, must_say, must_not_say, known, refuse, ends } = expect ?? {};
  if (label) found.push({ field: "label", told: [{ text: "Its label is " }, ...either([label, ...(labels ?? [])]), { text: "." }], judgedBy: ["outcome.label"] });
  if (must_say?.length) found.push({ field: "mustSay", told: [{ text: "It says " }, ...all(must_say), { text: "." }], judgedBy: ["outcome.must_say"] });
  if (must_not_say?.length) found.push({ field: "mustNotSay", told: [{ text: "It never says " }, ...either(must_not_say), { text: "." }], judgedBy: ["outcome.must_not_say"] });
  if (known != null) found.push({ field: "known", told: [{ text: known ? "It answers: the inputs say what is asked." : "It says that it does not know: the inputs do not tell." }], judgedBy: ["grounding.not_known"] });
  if (refuse != null) found.push({ field: "refuse", told: [{ text: refuse ? "It declines." : "It does not decline." }], judgedBy: ["safety.refuses"] });
  if (ends) found.push({ field: "ends", told: [{ text: ENDS[ends] }], judgedBy: ["outcome.ends"] });
  if (answer) found.push({ field: "answer", told: [{ text: "An answer that would be right: " }, { text: answer, quoted: true }], judgedBy: ["outcome.fields", "grounding.reference"] });
  return found;
}

/** Whether a check of the prompt judges it. A right answer may stand there to be read alone. */
export function isGuarded(sentence: Sentence, checks: CheckUse[]): boolean {
  return checks.some((use) => sentence.judgedBy.includes(use.check));
}
