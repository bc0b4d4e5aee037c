import { type Ref, shallowRef, watch } from "vue";

import { api, got } from "@/api/client";
import type { CaseLine } from "@/api/schema";

const A_TIME = 100;

/** A line for each case of a trial that is looked at, fetched when it is first wanted. */
export function useTrialCases(trial: Ref<number>) {
  const lines = shallowRef(new Map<number, CaseLine>());
  let asked = new Set<number>();

  watch(trial, () => {
    lines.value = new Map();
    asked = new Set();
  });

  /** Have the lines of the cases at these positions fetched. */
  function want(positions: number[]): void {
    const missing = positions.filter((each) => !asked.has(each));
    for (let from = 0; from < missing.length; from += A_TIME) void fetchLines(missing.slice(from, from + A_TIME));
  }

  async function fetchLines(positions: number[]): Promise<void> {
    const [id, mine] = [trial.value, asked];
    for (const each of positions) mine.add(each);
    try {
      const query = { at: positions.join(",") };
      const found = await got(api.GET("/api/v1/trials/{trial_id}/cases", { params: { path: { trial_id: id }, query } }));
      if (mine !== asked) return;
      const all = new Map(lines.value);
      for (const each of found.cases) all.set(each.position, each);
      lines.value = all;
    } catch {
      for (const each of positions) mine.delete(each); // they are asked for again when they are looked at
    }
  }

  return { lines, want };
}
