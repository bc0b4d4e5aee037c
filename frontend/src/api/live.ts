import type { QueryClient } from "@tanstack/vue-query";
import { ref, shallowReactive, shallowRef } from "vue";

import { keys } from "./keys";
import type { JobLine, JobList, SubjectPage, TrialLine, TrialPage } from "./schema";
import { staleIn } from "./stale";

export type Connection = "IDLE" | "OPEN" | "LOST";

const AGAIN_MS = 2_000;
const HEADER_MS = 3_000;

/** The trials that are going on, or ended while this window was open, as they stand. */
export const lines = shallowReactive(new Map<number, TrialLine>());
/** What goes on behind the pages, and what of it can't be done. */
export const jobs = shallowRef<JobLine[]>([]);
export const connection = ref<Connection>("IDLE");

export const isOver = (trial: { status: string }) => ["finished", "stopped", "failed"].includes(trial.status);

/**
 * Follow what is live by one stream of events for the whole window, and only while it is seen: a browser
 * has few connections to a server, and windows in the background would use them all up.
 */
export function followLive(queries: QueryClient, page: Document = document): () => void {
  const stale = staleIn(queries);
  let source: EventSource | null = null;
  let again: ReturnType<typeof setTimeout> | undefined;
  const refreshed = new Map<string, number>();
  /** Whether anything was said of jobs since the stream was opened: nothing said before `live` is that there are none. */
  let heardOfJobs = false;

  function take(line: TrialLine): void {
    const before = lines.get(line.id);
    lines.set(line.id, line);
    queries.setQueryData<TrialPage>(keys.trial(line.id), (kept) => (kept ? { ...kept, ...line } : kept));
    queries.setQueryData<SubjectPage>(keys.subject(line.subject), (kept) =>
      kept?.latest_trial === line.id
        ? { ...kept, trial_status: line.status, trial_recorded: line.recorded, trial_total: line.total }
        : kept,
    );
    if (!before || isOver(line)) tellAll(line);
    else refreshHeader(line.subject);
  }

  /** Where one is over, or came to nothing, what it made is looked at anew, and what is said of it. */
  function takeJobs(now: JobLine[]): void {
    const state = ({ status, attempts }: JobLine) => `${status === "failed"} ${attempts}`;
    const known = new Map(now.map((job) => [job.id, state(job)]));
    const changed = jobs.value.some((job) => known.get(job.id) !== state(job)) || known.size > jobs.value.length;
    jobs.value = now;
    if (changed) void stale.behind();
  }

  /** It began, or is over: all that shows it looks anew. */
  function tellAll({ id, subject }: TrialLine): void {
    void stale.trial(subject, id);
  }

  /** What is worked out for the header, such as the verdict so far, is asked for less often. */
  function refreshHeader(subject: string): void {
    const now = performance.now();
    if (now - (refreshed.get(subject) ?? 0) < HEADER_MS) return;
    refreshed.set(subject, now);
    void stale.draft(subject);
  }

  function open(): void {
    close();
    const stream = new EventSource("/api/v1/events");
    source = stream;
    stream.onopen = () => {
      connection.value = "OPEN";
      heardOfJobs = false;
    };
    stream.onerror = () => {
      if (source !== stream) return;
      connection.value = "LOST";
      // A browser gives up for good when the server is away for a moment.
      if (stream.readyState === EventSource.CLOSED) again = setTimeout(open, AGAIN_MS);
    };
    stream.addEventListener("trial", (event) => take(JSON.parse((event as MessageEvent<string>).data) as TrialLine));
    stream.addEventListener("jobs", (event) => {
      heardOfJobs = true;
      takeJobs((JSON.parse((event as MessageEvent<string>).data) as JobList).jobs);
    });
    stream.addEventListener("live", (event) => {
      if (!heardOfJobs) takeJobs([]);
      const { trials } = JSON.parse((event as MessageEvent<string>).data) as { trials: number[] };
      // What is shown as going on, heard of or fetched, and is not: it ended while nobody listened.
      const pages = queries.getQueriesData<TrialPage>({ queryKey: keys.anyTrial(), predicate: ({ queryKey }) => queryKey.length === 2 });
      const shown = [...lines.values(), ...pages.flatMap(([, page]) => page ?? [])];
      for (const line of shown.filter((each) => !isOver(each) && !trials.includes(each.id))) {
        lines.delete(line.id);
        void stale.trialPage(line.id);
        tellAll(line);
      }
    });
  }

  function close(): void {
    clearTimeout(again);
    source?.close();
    source = null;
    connection.value = "IDLE";
  }

  const follow = () => (page.visibilityState === "hidden" ? close() : source || open());
  page.addEventListener("visibilitychange", follow);
  follow();
  return () => {
    page.removeEventListener("visibilitychange", follow);
    close();
  };
}
