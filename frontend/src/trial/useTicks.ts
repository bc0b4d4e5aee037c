import { onScopeDispose, type Ref, shallowRef, watch } from "vue";

import { api, got } from "@/api/client";
import type { Ticks, TrialPage } from "@/api/schema";

/** The ticks of a trial, page by page as they landed. `whenLoaded` is told when all that the server has are here. */
export function useTicks(page: Ref<TrialPage | undefined>, whenLoaded?: (trial: TrialPage, last: number) => void) {
  const ticks = shallowRef<Ticks[]>([]);
  let of: number | null = null;
  let turn = 0;

  const held = () => ticks.value.reduce((sum, each) => sum + each.marks.length, 0);
  const last = () => ticks.value.at(-1)?.last ?? 0;

  /** Those of one page; nothing is added twice. */
  function take(more: Ticks): void {
    if (more.last > last()) ticks.value = [...ticks.value, more];
  }

  async function load(trial: TrialPage): Promise<void> {
    const mine = (turn += 1);
    // Answers that are asked for again take the places of those that are shown.
    if (of !== trial.id || held() > trial.recorded) ticks.value = [];
    of = trial.id;
    for (let more = true; more; ) {
      const path = { trial_id: trial.id };
      const some = await got(api.GET("/api/v1/trials/{trial_id}/ticks", { params: { path, query: { after: last() } } }));
      if (mine !== turn) return;
      take(some);
      more = some.more;
    }
    whenLoaded?.(trial, last());
  }

  watch(
    page,
    (trial) => {
      if (trial) void load(trial).catch(() => (of = null)); // the next look at the trial loads them anew
    },
    { immediate: true },
  );
  onScopeDispose(() => (turn += 1));

  return { ticks, take, held };
}
