import { computed, ref, type Ref, shallowRef, watch } from "vue";

import { connection, isOver, lines } from "@/api/live";
import type { TrialLine, TrialPage } from "@/api/schema";
import { useTicks } from "./useTicks";

const RATE_OVER_MS = 6_000;

/** A trial as it stands now: the page as it was fetched, or what was heard of it since. */
export function useTrialEvents(page: Ref<TrialPage | undefined>, look: Ref<number | null> = ref(null)) {
  const line = computed<TrialLine | undefined>(() => {
    const fetched = page.value;
    const heard = fetched && lines.get(fetched.id);
    return heard && Date.parse(heard.told_at) > Date.parse(fetched.told_at) ? heard : fetched;
  });
  const { ticks } = useTicks(line, look);
  const over = computed(() => line.value !== undefined && isOver(line.value));

  /** By the server's clock: when so many were recorded. */
  const seen = shallowRef<{ at: number; recorded: number }[]>([]);
  watch(
    line,
    (now, before) => {
      if (!now) return;
      const at = Date.parse(now.told_at);
      const kept = now.id === before?.id ? seen.value.filter((each) => at - each.at < RATE_OVER_MS) : [];
      seen.value = [...kept, { at, recorded: now.recorded }];
    },
    { immediate: true },
  );
  /** Readings a second over the last few seconds; null before there is anything to tell it by. */
  const rate = computed(() => {
    const [first, last] = [seen.value[0], seen.value.at(-1)];
    if (over.value || !first || !last || last.at - first.at < 400) return null;
    return ((last.recorded - first.recorded) * 1000) / (last.at - first.at);
  });
  const secondsLeft = computed(() => (rate.value && line.value ? (line.value.total - line.value.recorded) / rate.value : null));
  const lost = computed(() => connection.value === "LOST" && !over.value);

  return { line, ticks, over, rate, secondsLeft, lost };
}
