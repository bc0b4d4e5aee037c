import type { VerdictPage } from "@/api/schema";

/** A measure's scores, ready to be drawn: counts in bins of the arm and of the baseline, and the difference. */
export interface ScoreRow {
  /** null for all checks together. */
  measure: number | null;
  title: string;
  bins: number;
  most: number;
  strip: number[];
  baseline: number[];
  low: string;
  high: string;
  word: "better" | "worse" | "higher" | "lower" | "same" | "unsettled";
  shownWord: string;
  number: string;
  range: string;
  told: string;
}

const short = (value: number) => {
  if (Number.isInteger(value)) return String(value).replace("-", "−");
  const size = Math.abs(value);
  return (size >= 100 ? value.toFixed(0) : size >= 10 ? value.toFixed(1) : value.toFixed(2)).replace("-", "−");
};
const signed = (value: number) => (value > 0 ? "+" : "") + short(value);

const ALL = { title: "all checks, weighted", unit: "percent", aim: "more", score_margin: 2 };

/** Without an arm to compare there is a mean instead of a difference. */
export function scoreRows(verdict: VerdictPage, arm: number | null): ScoreRow[] {
  return verdict.scores.filter((each) => each.edges.length > 1).map((each) => {
    const measure = each.measure === null ? ALL : verdict.measures[each.measure]!;
    const which = arm ?? 0;
    const [mean, base] = [each.means[which], arm === null ? null : each.means[verdict.baseline]];
    const found = each.differences.find((one) => one.arm === arm);
    const strip = each.strips[which] ?? [];
    const baseline = arm === null ? [] : (each.strips[verdict.baseline] ?? []);
    const whole = each.edges.every((edge) => Math.abs(edge % 1) === 0.5);
    const ends = whole ? [each.edges[0]! + 0.5, each.edges.at(-1)! - 0.5] : [each.edges[0]!, each.edges.at(-1)!];
    const word = found?.word ?? "unsettled";
    const good = measure.aim === "more" ? "higher" : measure.aim === "less" ? "lower" : "";
    const judged = good === "" || word === "same" || word === "unsettled" ? word : word === good ? "better" : "worse";
    const { unit: one = "" } = measure;
    const unit = one.endsWith("s") || one === "percent" ? one : `${one}s`;
    const about = (value: { value: number; low: number; high: number } | null | undefined) =>
      value ? `${short(value.value)} (${short(value.low)} to ${short(value.high)})` : "no scores";
    const compared = found?.difference != null && found.low != null && found.high != null;
    return {
      measure: each.measure,
      title: measure.title,
      bins: each.edges.length - 1,
      most: Math.max(1, ...strip, ...baseline),
      strip,
      baseline,
      low: short(ends[0]!),
      high: short(ends[1]!),
      word: judged,
      shownWord: arm === null ? "" : judged,
      number: arm === null ? (mean ? short(mean.value) : "–") : compared ? signed(found!.difference!) : "–",
      range: arm === null ? (mean ? `${short(mean.low)} to ${short(mean.high)}` : "") : compared ? `${signed(found!.low!)} to ${signed(found!.high!)}` : "",
      told:
        `${measure.title}, in ${unit}: ${verdict.names[which]} ${about(mean)}` +
        (arm === null ? "" : `, ${verdict.names[verdict.baseline]} ${about(base)}; ${judged}; a difference within ${measure.score_margin} does not matter`),
    };
  });
}

/** What is to be minded before a judge's rows are believed; one line a judge and check. */
export function doubtsOfJudges(verdict: VerdictPage): { measure: number; text: string }[] {
  return verdict.measures.flatMap((measure) => {
    const trust = verdict.trust[measure.index];
    return trust && !trust.trusted ? [{ measure: measure.index, text: `${measure.title}: not to be trusted yet. ${trust.why}` }] : [];
  });
}

/** How often checks could not tell, in a sentence; empty where they always could. */
export function untoldInWords(verdict: VerdictPage): string {
  const told = verdict.measures.flatMap((measure) => {
    const times = verdict.untold.reduce((sum, arm) => sum + (arm[measure.index] ?? 0), 0);
    return times ? [`${measure.title} ${times.toLocaleString("en")} ${times === 1 ? "time" : "times"}`] : [];
  });
  return told.length ? `Could not be told, and counts neither way: ${told.join("; ")}.` : "";
}
