import type { FindingShape } from "@/api/schema";

/** Whether an answer passes as a whole: nothing failed that is required. What a check could not tell is no failure. */
export const passes = (findings: FindingShape[]) => findings.every((finding) => finding.passed !== false || finding.required === false);
