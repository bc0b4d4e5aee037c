import type { LookUpChange, Settings } from "@/api/schema";

/** The settings that an arm may set in the plan; others come from its version. */
export const ARM_SETTINGS = ["temperature", "frequency_penalty", "presence_penalty"] as const;

export interface PlannedArm {
  key: number;
  version: number;
  model: string;
  settings: Settings;
  /** What it looks up otherwise than its version says. */
  lookUp: LookUpChange;
  /** Whose version it is, where it is another subject's. */
  subject: string;
  /** Of a chain: the step that is varied, and the version of a prompt that it has instead. */
  step: string;
  prompt: string;
}

let lastKey = 0;

type Of = Partial<Pick<PlannedArm, "subject" | "step" | "prompt">>;

export function armOf(version: number, model: string, settings: Settings = {}, lookUp: LookUpChange | null = null, { subject = "", step = "", prompt = "" }: Of = {}): PlannedArm {
  lastKey += 1;
  return { key: lastKey, version, model, settings: { ...settings }, lookUp: { ...lookUp }, subject, step, prompt };
}

/** As it is sent: nothing where nothing is changed. */
export function changeIn({ version, most, method }: LookUpChange): LookUpChange | null {
  return version || most || method ? { ...(version ? { version } : {}), ...(most ? { most } : {}), ...(method ? { method } : {}) } : null;
}
