import { onScopeDispose, type Ref, shallowRef, watch } from "vue";

import { api, got } from "@/api/client";
import type { Ticks, TrialLine } from "@/api/schema";

const AGAIN_MS = 2_000;

/** The ticks of a trial, page by page as they landed; more are fetched when its line says that there are more. */
export function useTicks(line: Ref<TrialLine | undefined>, look: Ref<number | null>) {
  const ticks = shallowRef<Ticks[]>([]);
  let of = "";
  let loading = false;
  let gone = false;
  let again: ReturnType<typeof setTimeout> | undefined;

  /** Places that a tick stands at: one that is completed later comes once more. */
  const held = new Set<string>();
  const last = () => ticks.value.at(-1)?.last ?? 0;

  async function load(): Promise<void> {
    if (loading) return;
    loading = true;
    clearTimeout(again);
    try {
      while (!gone && line.value) {
        const { id, landed, recorded } = line.value;
        const mine = `${id} ${look.value}`;
        // Answers that are asked for again take the places of those that are shown.
        if (of !== mine || held.size > recorded) {
          ticks.value = [];
          held.clear();
        }
        of = mine;
        if (last() >= landed) break;
        const path = { trial_id: id };
        const more = await got(api.GET("/api/v1/trials/{trial_id}/ticks", { params: { path, query: { after: last(), look: look.value } } }));
        if (gone || `${line.value?.id} ${look.value}` !== mine) continue;
        if (more.last <= last()) break; // the rest has not landed yet
        more.marks.forEach((_, at) => held.add(`${more.arm[at]}.${more.case_at[at]}.${more.repeat_no[at]}`));
        ticks.value = [...ticks.value, more];
      }
    } catch {
      again = setTimeout(() => void load(), AGAIN_MS);
    } finally {
      loading = false;
    }
  }

  watch(() => [line.value?.id, line.value?.landed, line.value?.recorded, look.value], () => void load(), { immediate: true });
  onScopeDispose(() => {
    gone = true;
    clearTimeout(again);
  });

  return { ticks };
}
