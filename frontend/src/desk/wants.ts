import type { SubjectLine } from "@/api/schema";

export interface Want {
  text: string;
  stage: "draft" | "cases" | "trial" | "verdict";
  /** It goes on by itself: nobody is waited for. */
  goesOn?: boolean;
}

/** What a subject wants of its people, most pressing first; empty when nothing. */
export function wantOf(line: SubjectLine): Want | null {
  if (line.versions === 0) return { text: "save a first version", stage: "draft" };
  if (line.cases === 0) return { text: "keep some cases", stage: "cases" };
  if (line.trial_status === "running" || line.trial_status === "waiting") return { text: "a trial is running", stage: "trial", goesOn: true };
  if (line.edited) return { text: "unsaved edits", stage: "draft" };
  if (!line.latest_trial) return { text: `start a trial on its ${line.cases} cases`, stage: "trial" };
  if (line.headline?.word === "worse") return { text: `${line.headline.arm} got worse`, stage: "verdict" };
  if (line.headline?.word === "unsettled") return { text: "more cases would settle it", stage: "cases" };
  return null;
}
