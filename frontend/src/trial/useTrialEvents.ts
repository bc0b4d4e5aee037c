import { useQueryClient } from "@tanstack/vue-query";
import { computed, onScopeDispose, ref, type Ref, shallowRef, watch } from "vue";

import type { SubjectPage, TickShape, TrialLine, TrialPage } from "@/api/schema";

export type Connection = "IDLE" | "OPEN" | "LOST" | "OVER";

const RATE_OVER_MS = 6_000;
const REFRESH_MS = 3_000;

/** A trial as it stands now: the page as it was fetched, and what its events brought since. */
export function useTrialEvents(page: Ref<TrialPage | undefined>) {
  const queries = useQueryClient();
  const line = shallowRef<TrialLine | null>(null);
  const ticks = shallowRef<TickShape[]>([]);
  const connection = ref<Connection>("IDLE");
  const seen = shallowRef<{ at: number; recorded: number }[]>([]);
  let source: EventSource | null = null;
  let of: number | null = null;
  let refreshed = performance.now();

  const over = computed(() => line.value !== null && ["finished", "stopped", "failed"].includes(line.value.status));
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

  function watchFrom(trial: TrialPage): void {
    const last = trial.ticks.reduce((highest, tick) => Math.max(highest, tick.id), 0);
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
      const told = JSON.parse(event.data) as { trial: TrialLine; ticks: TickShape[] };
      take(told.trial);
      if (told.ticks.length) ticks.value = ticks.value.concat(told.ticks);
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
        kept && line.value ? { ...kept, ...line.value, ticks: ticks.value } : kept,
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
      const isOver = ["finished", "stopped", "failed"].includes(trial.status);
      close();
      if (of !== trial.id) seen.value = [];
      of = trial.id;
      ticks.value = trial.ticks;
      take(trial);
      connection.value = isOver ? "OVER" : "IDLE";
      if (!isOver) watchFrom(trial);
    },
    { immediate: true },
  );
  onScopeDispose(close);

  return { line, ticks, connection, over, rate, secondsLeft };
}
