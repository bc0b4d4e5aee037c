import { type QueryClient, useQueryClient } from "@tanstack/vue-query";

import { keys } from "./keys";

/** What has to be looked at anew after a change: the one place that knows which answers a change touches. */
export function staleIn(queries: QueryClient) {
  const drop = (...all: unknown[][]) => Promise.all(all.map((queryKey) => queries.invalidateQueries({ queryKey }))).then(() => undefined);
  return {
    desk: () => drop(keys.desk()),
    /** Drafts, their edits counted in the header. */
    draft: (name: string) => drop(keys.subject(name)),
    versions: (name: string) => drop(keys.subject(name), keys.versions(name), keys.desk()),
    cases: (name: string) => drop(keys.cases(name), keys.case(name), ["fared", name], keys.subject(name), keys.estimate(name)),
    caseLists: (name: string) => drop(keys.cases(name), keys.subject(name), keys.estimate(name)),
    fragments: () => drop(keys.fragments()),
    /** Tools, what they read, and where they may go. */
    tools: () => drop(keys.toolbox()),
    /** A collection, or what is in it, was changed: look-ups in drafts find something else, too. */
    collections: () => drop(keys.collections(), ["brought"], ["look ups"]),
    models: () => drop(keys.models()),
    /** A trial began, was told to do something, or is over. */
    trial: (name: string, id: number) =>
      drop(["fared", name], keys.subject(name), keys.trials(name), keys.verdict(id), keys.scores(name), keys.desk(), keys.estimate(name)),
    trialPage: (id: number) => drop(keys.trial(id)),
    /** More of its answers landed. */
    verdict: (id: number) => drop(keys.verdict(id)),
    /** A judge was put to the test. */
    judges: () => drop(["bench"], ["verdict"]),
    /** Work behind the pages is over: a judge was put to the test, vectors were made, a thing was brought in. */
    behind: () => drop(keys.desk(), keys.collections(), keys.toolbox(), ["bench"], ["verdict"]),
    all: () => drop([]),
  };
}

export const useStale = () => staleIn(useQueryClient());
