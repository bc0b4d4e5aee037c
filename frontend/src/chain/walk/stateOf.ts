import type { Chain } from "@/api/schema";
import type { Shown } from "./useWalk";

/** The state after these steps, each value written in its way; what was written in items of a list stays there. */
export function stateOf(chain: Chain, steps: Shown[]): Record<string, unknown> {
  const state: Record<string, unknown> = {};
  for (const value of chain.state ?? []) if (value.start !== undefined && value.start !== null) state[value.name] = value.start;
  const how = new Map((chain.state ?? []).map(({ name, how: way }) => [name, way ?? "replace"]));
  for (const step of steps) {
    if (step.at.split(".").some((part) => /^i\d+$/.test(part))) continue;
    for (const [name, wrote] of Object.entries(step.wrote)) {
      const before = state[name];
      if (how.get(name) === "append") state[name] = [...(Array.isArray(before) ? before : []), ...(Array.isArray(wrote) ? wrote : [wrote])];
      else if (how.get(name) === "merge" && typeof wrote === "object" && wrote !== null) state[name] = { ...(before as object | undefined), ...wrote };
      else state[name] = wrote;
    }
  }
  return state;
}
