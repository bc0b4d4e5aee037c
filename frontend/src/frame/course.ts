import type { SubjectPage } from "@/api/schema";
import { points } from "@/marks/format";

/** One stage of the course, with its state in a few words. */
export interface Stage {
  key: "draft" | "cases" | "trial" | "verdict";
  number: number;
  title: string;
  state: string;
  /** Work has been done here. */
  reached: boolean;
}

export function courseOf(subject: SubjectPage | undefined): Stage[] {
  return [
    { key: "draft", number: 1, title: "Draft", state: draftState(subject), reached: true },
    {
      key: "cases",
      number: 2,
      title: "Cases",
      state: subject ? (subject.cases === 0 ? "none yet" : `${subject.cases.toLocaleString("en")} kept`) : "",
      reached: (subject?.cases ?? 0) > 0,
    },
    {
      key: "trial",
      number: 3,
      title: "Trial",
      state: trialState(subject),
      reached: !!subject?.latest_trial,
    },
    {
      key: "verdict",
      number: 4,
      title: "Verdict",
      state: verdictState(subject),
      reached: !!subject?.headline,
    },
  ];
}

function draftState(subject: SubjectPage | undefined): string {
  if (!subject) return "";
  if (subject.base_version === null || subject.base_version === undefined) return "no version yet";
  return subject.edited ? `after v${subject.base_version}, edited` : `v${subject.base_version}, no edits`;
}

function trialState(subject: SubjectPage | undefined): string {
  if (!subject) return "";
  if (!subject.latest_trial) return "none yet";
  const recorded = subject.trial_recorded ?? 0;
  const total = subject.trial_total ?? 0;
  if (subject.trial_status === "running" || subject.trial_status === "waiting") {
    return `T${subject.latest_trial} running, ${Math.floor((100 * recorded) / Math.max(total, 1))}%`;
  }
  return `T${subject.latest_trial} · ${recorded.toLocaleString("en")} readings`;
}

function verdictState(subject: SubjectPage | undefined): string {
  const headline = subject?.headline;
  if (!headline || headline.difference === null || headline.difference === undefined) return subject ? "not yet" : "";
  const running = subject.trial_status === "running" || subject.trial_status === "waiting";
  return `${headline.arm.split(" ")[0]} ${headline.word}, ${points(headline.difference)}${running ? " so far" : ""}`;
}
