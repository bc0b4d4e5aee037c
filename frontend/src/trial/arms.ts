import type { Settings } from "@/api/schema";

/** The settings that an arm may set in the plan; others come from its version. */
export const ARM_SETTINGS = ["temperature", "frequency_penalty", "presence_penalty"] as const;

export interface PlannedArm {
  key: number;
  version: number;
  model: string;
  settings: Settings;
}

let lastKey = 0;

export function armOf(version: number, model: string, settings: Settings = {}): PlannedArm {
  lastKey += 1;
  return { key: lastKey, version, model, settings: { ...settings } };
}
