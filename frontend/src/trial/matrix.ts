import type { ArmShape, Settings, Ticks, TrialPage } from "@/api/schema";
import type { Mark } from "@/marks/TickStrip.vue";

/** A trial's ticks by arm and case, on one measure or on all of them together. */
export interface Matrix {
  at(arm: number, caseAt: number): Mark[];
  /** The share of answers that passed, 0–1; null where there is no answer yet. */
  share(arm: number, caseAt: number): number | null;
  /** How much more of a case's answers pass in `other` than in `one`; null where one of them has none. */
  gap(one: number, other: number, caseAt: number): number | null;
  /** Case positions: losses of `other` first, the greatest at the top, then its gains, then what is steady. */
  byGap(one: number, other: number): number[];
}

const MARKS: Mark[] = ["waiting", "passed", "failed", "unanswered", "unjudged"];

/** `measure` null asks whether an answer passed on every measure that is required. */
export function matrixOf(page: TrialPage, ticks: Ticks[], measure: number | null): Matrix {
  const { repeats, asked: cases } = page;
  const looked = measure === null ? page.measures.filter((each) => each.required).map((each) => each.index) : [measure];
  const states = new Uint8Array(page.arms.length * cases * repeats);
  for (const some of ticks) {
    some.marks.forEach((mark, at) => {
      states[(some.arm[at]! * cases + some.case_at[at]!) * repeats + some.repeat_no[at]!] = stateOf(mark, looked);
    });
  }
  const slice = (arm: number, caseAt: number) => {
    const start = (arm * cases + caseAt) * repeats;
    return states.subarray(start, start + repeats);
  };
  const share = (arm: number, caseAt: number) => {
    let passed = 0;
    let failed = 0;
    for (const state of slice(arm, caseAt)) {
      if (state === 1) passed += 1;
      else if (state === 2) failed += 1;
    }
    return passed + failed === 0 ? null : passed / (passed + failed);
  };
  const gap = (one: number, other: number, caseAt: number) => {
    const [a, b] = [share(one, caseAt), share(other, caseAt)];
    return a === null || b === null ? null : b - a;
  };
  return {
    at: (arm, caseAt) => Array.from(slice(arm, caseAt), (state) => MARKS[state] as Mark),
    share,
    gap,
    byGap(one, other) {
      const gaps = Array.from({ length: cases }, (_, caseAt) => gap(one, other, caseAt));
      const group = (at: number) => ["lost", "gained", "steady", "unknown"].indexOf(fateOf(gaps[at]!));
      return gaps.map((_, caseAt) => caseAt).sort((a, b) => group(a) - group(b) || Math.abs(gaps[b] ?? 0) - Math.abs(gaps[a] ?? 0) || a - b);
    },
  };
}

export type Fate = "lost" | "gained" | "steady" | "unknown";

/** What became of a case, from the gap between two arms. */
export function fateOf(gap: number | null): Fate {
  if (gap === null) return "unknown";
  return gap < 0 ? "lost" : gap > 0 ? "gained" : "steady";
}

/** A mark has a digit for each measure: 0 nothing found, 1 failed, 2 passed, 3 could not tell; it is empty without an
 * answer. */
function stateOf(mark: string, asked: number[]): number {
  if (!mark) return 3;
  const digits = asked.map((each) => mark.charAt(each)).join("");
  if (digits.includes("1")) return 2;
  return digits.includes("2") ? 1 : 4;
}

/** The numbers of a trial's cases, in their order. */
export function numbersOf(page: TrialPage): number[] {
  return page.numbers.flatMap((run) => Array.from({ length: run[1]! - run[0]! + 1 }, (_, at) => run[0]! + at));
}

/** What an arm asks: its model; of a chain the step that is varied, or all its models. */
export function asked(arm: ArmShape): string {
  const told = arm.step ? `“${arm.step}”: ${arm.prompt ? `${arm.prompt}, ` : ""}${arm.model}` : arm.models.join(", ");
  return arm.subject ? `${arm.subject}, ${told}` : told;
}

/** Settings in a few characters each. */
export function settingsInShort(settings: Settings): string {
  const told = [];
  if (settings.temperature != null) told.push(`t ${settings.temperature}`);
  if (settings.top_p != null) told.push(`top p ${settings.top_p}`);
  if (settings.frequency_penalty != null) told.push(`freq. pen. ${settings.frequency_penalty}`);
  if (settings.presence_penalty != null) told.push(`pres. pen. ${settings.presence_penalty}`);
  if (settings.stop?.length) told.push(`stop ${settings.stop.map((each) => JSON.stringify(each)).join(" ")}`);
  if (settings.max_tokens != null) told.push(`≤ ${settings.max_tokens} tokens`);
  return told.join(", ");
}

/** Of an arm's settings those that are not the same in every arm. */
export function varied(page: TrialPage, settings: Settings): Settings {
  const entries = Object.entries(settings).filter(([name]) => {
    const values = page.arms.map((arm) => JSON.stringify(arm.settings[name as keyof Settings] ?? null));
    return new Set(values).size > 1;
  });
  return Object.fromEntries(entries);
}
