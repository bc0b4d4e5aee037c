import { useQueryClient } from "@tanstack/vue-query";
import { computed, onScopeDispose, ref, type Ref, shallowRef, watch } from "vue";

import type { SubjectPage, Ticks, TrialLine, TrialPage } from "@/api/schema";
import { useTicks } from "./useTicks";

export type Connection = "IDLE" | "OPEN" | "LOST" | "OVER";

const RATE_OVER_MS = 6_000;
const REFRESH_MS = 3_000;

/** A trial as it stands now: the page as it was fetched, and what its events brought since. */
export function useTrialEvents(page: Ref<TrialPage | undefined>) {
  const queries = useQueryClient();
  const line = shallowRef<TrialLine | null>(null);
  const connection = ref<Connection>("IDLE");
  const seen = shallowRef<{ at: number; recorded: number }[]>([]);
  let source: EventSource | null = null;
  const { ticks, take: addTicks, held } = useTicks(page, (trial, last) => {
    if (!isOver(trial) && of === trial.id) watchFrom(trial, last);
  });
  let of: number | null = null;
  let refreshed = performance.now();

  const isOver = (trial: { status: string }) => ["finished", "stopped", "failed"].includes(trial.status);
  const over = computed(() => line.value !== null && isOver(line.value));
  /** Readings a second over the last few seconds; null before there is anything to tell it by. */
  const rate = computed(() => {
    const first = seen.value[0];
    const last = seen.value.at(-1);
    if (over.value || !first || !last || last.at - first.at < 400) return null;
    return ((last.recorded - first.recorded) * 1000) / (last.at - first.at);
  });
  const secondsLeft = computed(() =>
    rate.value && line.value ? (line.value.total - line.value.recorded) / rate.value : null,
  );

  function take(told: TrialLine): void {
    const now = performance.now();
    line.value = told;
    seen.value = [...seen.value.filter((each) => now - each.at < RATE_OVER_MS), { at: now, recorded: told.recorded }];
  }

  function close(): void {
    source?.close();
    source = null;
  }

  function watchFrom(trial: TrialPage, last: number): void {
    close();
    const stream = new EventSource(`/api/v1/trials/${trial.id}/events?after=${last}`);
    source = stream;
    stream.onopen = () => (connection.value = "OPEN");
    stream.onerror = () => {
      if (source === stream && connection.value !== "OVER") connection.value = "LOST";
      // A browser gives up for good when the server is away for a moment; a reload of the page's
      // data starts another stream.
      if (stream.readyState === EventSource.CLOSED) {
        setTimeout(() => source === stream && void queries.invalidateQueries({ queryKey: ["trial", trial.id] }), 2_000);
      }
    };
    stream.addEventListener("progress", (event) => {
      const told = JSON.parse(event.data) as { trial: TrialLine; ticks: Ticks };
      take(told.trial);
      addTicks(told.ticks);
      // Somebody has answers asked for again: what is shown of them is no more.
      if (held() > told.trial.recorded) void queries.invalidateQueries({ queryKey: ["trial", trial.id] });
      const { id, subject, status, recorded, total } = told.trial;
      queries.setQueryData<SubjectPage>(["subject", subject], (page) =>
        page?.latest_trial === id
          ? { ...page, trial_status: status, trial_recorded: recorded, trial_total: total }
          : page,
      );
      // The rest of the header, such as the verdict so far, is worked out less often.
      if (performance.now() - refreshed > REFRESH_MS) {
        refreshed = performance.now();
        void queries.invalidateQueries({ queryKey: ["subject", subject] });
      }
    });
    stream.addEventListener("over", () => {
      connection.value = "OVER";
      close();
      const { id, subject } = trial;
      queries.setQueryData(["trial", id], (kept: TrialPage | undefined) =>
        kept && line.value ? { ...kept, ...line.value } : kept,
      );
      for (const queryKey of [["subject", subject], ["trials", subject], ["verdict", id], ["desk"]]) {
        void queries.invalidateQueries({ queryKey });
      }
    });
  }

  watch(
    page,
    (trial) => {
      if (!trial) return;
      close();
      if (of !== trial.id) seen.value = [];
      of = trial.id;
      take(trial);
      connection.value = isOver(trial) ? "OVER" : "IDLE";
    },
    { immediate: true },
  );
  onScopeDispose(close);

  return { line, ticks, connection, over, rate, secondsLeft };
}
