import type { CheckUse, MainQuestion } from "@/api/schema";
import type { PlannedArm } from "./arms";

/** What a plan says of its main question: one of its arms and a measure, none at all, or what is likeliest. */
export type Question = { arm: number; measure: string } | "none" | "likeliest";

/** The measure that a trial is most often for: the first check of an outcome, else the first check. */
function likeliestMeasure(checks: CheckUse[]): string | null {
  return (checks.find((use) => use.check.startsWith("outcome.")) ?? checks[0])?.check ?? null;
}

/** The newest other version on the baseline's model, else the second arm. */
function likeliestArm(arms: PlannedArm[]): number | null {
  const [base, ...others] = arms;
  if (!base || others.length === 0) return null;
  const rivals = others.filter((arm) => arm.model === base.model && arm.version !== base.version && arm.subject === base.subject);
  const newest = rivals.sort((a, b) => b.version - a.version)[0] ?? others[0]!;
  return arms.indexOf(newest);
}

/** The question as the trial keeps it, by places of arms; null where none is named or nothing is compared. */
export function questionOf(question: Question, arms: PlannedArm[], checks: CheckUse[]): MainQuestion | null {
  if (question === "none") return null;
  const measure = likeliestMeasure(checks);
  const arm = likeliestArm(arms);
  if (measure === null || arm === null) return null;
  if (question === "likeliest") return { arm, measure };
  const at = arms.findIndex((each) => each.key === question.arm);
  const isMeasured = checks.some((use) => use.check === question.measure.split(/[/#]/)[0]);
  return { arm: at > 0 ? at : arm, measure: isMeasured ? question.measure : measure };
}
