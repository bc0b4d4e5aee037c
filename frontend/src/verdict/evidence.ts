import type { TrialPage, VerdictPage } from "@/api/schema";
import { count, points } from "@/marks/format";

/** One row of evidence: a difference in points when there is a baseline, else a rate in percent. */
export interface EvidenceRow {
  measure: number;
  title: string;
  value: number | null;
  low: number | null;
  high: number | null;
  margin: number;
  word: "better" | "worse" | "same" | "unsettled" | null;
  /** Whether it is the main question of the trial. */
  main: boolean;
  number: string;
  told: string;
}

export function differences(verdict: VerdictPage, arm: number): EvidenceRow[] {
  return verdict.measures.map(({ index, title, margin }) => {
    const found = verdict.comparisons.find((each) => each.arm === arm && each.measure === index);
    const { difference = null, low = null, high = null } = found ?? {};
    const told =
      difference === null || low === null || high === null
        ? `${title}: no answers to compare`
        : `${title}: ${points(difference)} points (${points(low)} to ${points(high)}), ${found?.word}; ` +
          `${rateInWords(verdict, arm, index)} against ${rateInWords(verdict, verdict.baseline, index)}; a difference within ${margin} does not matter`;
    return {
      measure: index, title, margin, low, high, told,
      main: found?.main ?? false,
      value: difference,
      word: found?.word ?? "unsettled",
      number: difference === null ? "–" : points(difference),
    };
  });
}

export function rates(verdict: VerdictPage, arm: number): EvidenceRow[] {
  return verdict.measures.map(({ index, title }) => {
    const rate = verdict.rates[arm]?.[index] ?? null;
    return {
      measure: index, title,
      value: rate && rate.value * 100,
      low: rate && rate.low * 100,
      high: rate && rate.high * 100,
      margin: 0,
      main: false,
      word: null,
      number: rate ? `${(rate.value * 100).toFixed(1)}%` : "–",
      told: `${title}: ${rateInWords(verdict, arm, index)}`,
    };
  });
}

/** `70.7% (58.1 to 80.6)`. */
export function rateInWords(verdict: VerdictPage, arm: number, measure: number): string {
  const rate = verdict.rates[arm]?.[measure];
  if (!rate) return "no answers";
  return `${(rate.value * 100).toFixed(1)}% (${(rate.low * 100).toFixed(1)} to ${(rate.high * 100).toFixed(1)})`;
}

/** `between 71 and 78: 3 answers are missing`; "" where all came. */
export function boundsInWords(verdict: VerdictPage, arm: number, measure: number): string {
  const rate = verdict.rates[arm]?.[measure];
  if (!rate?.missing) return "";
  const [least, most] = [rate.least, rate.most].map((each) => (each * 100).toFixed(0));
  return `between ${least} and ${most}: ${count(rate.missing, "answer")} ${rate.missing === 1 ? "is" : "are"} missing`;
}

/** The reach of the axis either way: round, and wide enough for every interval. */
export function reachOf(rows: EvidenceRow[]): number {
  const ends = rows.flatMap((row) => [Math.abs(row.low ?? 0), Math.abs(row.high ?? 0), row.margin]);
  const widest = Math.max(5, ...ends);
  return Math.min(100, Math.ceil(widest / 5) * 5);
}

/** How far repeats of a case agree; empty for one repeat. */
export function agreementInWords(verdict: VerdictPage, arm: number, measure: number): string {
  const share = verdict.agreements[arm]?.[measure];
  if (share == null) return "";
  return share === 1 ? "repeats all alike" : `repeats agree ${Math.round(share * 100)}%`;
}

/** Arms at temperature 0 whose repeats all came out alike, in a sentence; empty without one. */
export function steadyInWords({ arms, repeats }: TrialPage, verdict: VerdictPage): string {
  const steady = arms.filter(({ position, settings }) => {
    const shares = (verdict.agreements[position] ?? []).filter((share) => share != null);
    return settings.temperature === 0 && repeats > 1 && shares.length > 0 && shares.every((share) => share === 1);
  });
  if (steady.length === 0) return "";
  const who = steady.length === arms.length ? "every arm" : steady.map((each) => each.name).join(" and ");
  return `At temperature 0 all repeats of ${who} came out alike, in every check: one repeat would have told as much.`;
}
