import { keepPreviousData, useInfiniteQuery, useQueries, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type ComputedRef, type Ref, ref, toValue } from "vue";

import { api, got } from "./client";
import type { ModelLine, VersionLine } from "./schema";

/** Subjects by name, or those with every word of `find`, a page at a time. */
export function useDesk(find: Ref<string> = ref("")) {
  return useInfiniteQuery({
    queryKey: ["desk", find],
    queryFn: ({ pageParam }) => got(api.GET("/api/v1/subjects", { params: { query: { find: find.value || null, after: pageParam } } })),
    initialPageParam: "",
    getNextPageParam: (last) => (last.more ? (last.subjects.at(-1)?.name ?? null) : null),
    placeholderData: keepPreviousData,
  });
}

export function useStarters() {
  return useQuery({
    queryKey: ["starters"],
    queryFn: () => got(api.GET("/api/v1/starters")),
    staleTime: Infinity,
  });
}

export function useFragments() {
  return useQuery({ queryKey: ["fragments"], queryFn: () => got(api.GET("/api/v1/fragments")), staleTime: 60_000 });
}

/** One fragment with its versions; nothing is asked for while there is no name. */
export function useFragment(name: Ref<string | null>) {
  return useQuery({
    queryKey: ["fragments", "one", name],
    queryFn: () => got(api.GET("/api/v1/fragments/{fragment}", { params: { path: { fragment: name.value as string } } })),
    enabled: computed(() => name.value !== null),
  });
}

/** The text of a version, which never changes. */
export function useFragmentText(name: Ref<string | null>, number: Ref<number>) {
  return useQuery({
    queryKey: ["fragment text", name, number],
    queryFn: () =>
      got(
        api.GET("/api/v1/fragments/{fragment}/versions/{number}", {
          params: { path: { fragment: name.value as string, number: number.value } },
        }),
      ),
    enabled: computed(() => name.value !== null && number.value > 0),
    staleTime: Infinity,
  });
}

export function useSubject(name: Ref<string> | (() => string)) {
  return useQuery({
    queryKey: ["subject", computed(() => toValue(name))],
    queryFn: () => got(api.GET("/api/v1/subjects/{name}", { params: { path: { name: toValue(name) } } })),
    enabled: computed(() => toValue(name) !== ""),
  });
}

/** The keys that the operator of the server has set, by name. */
export function useServerKeys() {
  return useQuery({ queryKey: ["keys"], queryFn: () => got(api.GET("/api/v1/keys")) });
}

export function useModels() {
  return useQuery({
    queryKey: ["models"],
    queryFn: () => got(api.GET("/api/v1/models")),
    staleTime: 60_000,
  });
}

/** Which of these models are stand-ins, in words to put under what they answered; empty without one. */
export function useStandIns(names: () => string[]): ComputedRef<string> {
  const models = useModels();
  return computed(() => {
    const found = (models.data.value?.models ?? []).filter((model) => model.built_in && names().includes(model.name)).map((model) => model.name);
    if (found.length === 0) return "";
    return found.length === 1 ? `${found[0]} is a stand-in: a simulated model.` : `${found.slice(0, -1).join(", ")} and ${found.at(-1)} are stand-ins: simulated models.`;
  });
}

/** The two ends of the list, which is in order of price: between them lies what a price buys. One without a price
 * stands at no end, so it is taken only where there is no other. */
export function cheapestAndDearest(models: ModelLine[]): ModelLine[] {
  const priced = models.filter((model) => model.input_cents > 0 || model.output_cents > 0);
  const among = priced.length ? priced : models;
  const ends = [among[0], among.at(-1)].filter((model) => model !== undefined);
  return [...new Set(ends)];
}

export function useSettingsTable() {
  return useQuery({
    queryKey: ["settings"],
    queryFn: () => got(api.GET("/api/v1/settings")),
    staleTime: Infinity,
  });
}

export function useCheckKinds() {
  return useQuery({
    queryKey: ["checks"],
    queryFn: () => got(api.GET("/api/v1/checks")),
    staleTime: Infinity,
  });
}

/** Every version, newest first, without its content. */
export function useVersions(name: Ref<string>) {
  return useQuery({ queryKey: ["versions", name], queryFn: () => allVersions(name.value) });
}

async function allVersions(name: string): Promise<VersionLine[]> {
  const lines: VersionLine[] = [];
  for (let more = true; more; ) {
    const query = { before: lines.at(-1)?.number ?? null };
    const page = await got(api.GET("/api/v1/subjects/{name}/versions", { params: { path: { name }, query } }));
    lines.push(...page.versions);
    more = page.more;
  }
  return lines;
}

/** A version with its content never changes, so it is fetched once. */
const versionQuery = (name: string, number: number) => ({
  queryKey: ["version", name, number],
  queryFn: () => got(api.GET("/api/v1/subjects/{name}/versions/{number}", { params: { path: { name, number } } })),
  staleTime: Infinity,
});

export function useVersion(name: Ref<string>, number: Ref<number | null>) {
  return useQuery({
    queryKey: ["version", name, number],
    queryFn: () => versionQuery(name.value, number.value as number).queryFn(),
    staleTime: Infinity,
    enabled: computed(() => number.value !== null),
  });
}

/** The contents of these versions as far as they are here, and a way to have one fetched. */
export function useVersionContents(name: string, numbers: () => number[]) {
  const queries = useQueryClient();
  const found = useQueries({ queries: computed(() => [...new Set(numbers())].map((number) => versionQuery(name, number))) });
  return {
    contentOf: (number: number) => found.value.find((each) => each.data?.number === number)?.data?.content ?? null,
    fetchContent: async (number: number) => (await queries.fetchQuery(versionQuery(name, number))).content,
  };
}

/** How each version did, looked up while `wanted`. */
export function useScores(name: Ref<string>, wanted: () => boolean) {
  return useQuery({
    queryKey: ["versions", name, "scores"],
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/versions/scores", { params: { path: { name: name.value } } })),
    enabled: computed(wanted),
  });
}

/** Trials, newest first, a page at a time. */
export function useTrials(name: Ref<string>, find: Ref<string>) {
  return useInfiniteQuery({
    queryKey: ["trials", name, find],
    queryFn: ({ pageParam }) =>
      got(
        api.GET("/api/v1/subjects/{name}/trials", {
          params: { path: { name: name.value }, query: { before: pageParam, find: find.value } },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => (last.more ? (last.trials.at(-1)?.id ?? null) : null),
    placeholderData: keepPreviousData,
  });
}

export function useTrial(id: Ref<number | null>) {
  return useQuery({
    queryKey: ["trial", id],
    queryFn: () =>
      got(api.GET("/api/v1/trials/{trial_id}", { params: { path: { trial_id: id.value as number } } })),
    enabled: computed(() => id.value !== null),
    staleTime: Infinity, // its events bring what lands later
  });
}

/** `missing`: what becomes of answers that never came; `baseline`: the arm that the others are held against. */
export function useVerdict(id: Ref<number | null>, missing: Ref<"failed" | "left_out">, baseline: Ref<number>) {
  return useQuery({
    queryKey: ["verdict", id, missing, baseline],
    queryFn: () =>
      got(
        api.GET("/api/v1/trials/{trial_id}/verdict", {
          params: { path: { trial_id: id.value as number }, query: { missing: missing.value, baseline: baseline.value } },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: computed(() => id.value !== null),
  });
}

/** How an arm fared by tag, looked up while there is something to compare. */
export function useTagResults(id: Ref<number>, arm: Ref<number | null>, baseline: Ref<number>, measure: Ref<number | null>) {
  return useQuery({
    queryKey: ["verdict", id, "tags", arm, baseline, measure],
    queryFn: () =>
      got(
        api.GET("/api/v1/trials/{trial_id}/verdict/tags", {
          params: { path: { trial_id: id.value }, query: { arm: arm.value as number, baseline: baseline.value, measure: measure.value } },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: computed(() => arm.value !== null),
  });
}

/** One of a trial's cases, as it was when the trial was made. */
export function useTrialCase(trial: Ref<number>, position: Ref<number>) {
  return useQuery({
    queryKey: ["trial", trial, "case", position],
    queryFn: () =>
      got(
        api.GET("/api/v1/trials/{trial_id}/cases/{position}", {
          params: { path: { trial_id: trial.value, position: position.value } },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
}

/** One reading with its calls, as they were sent and answered. */
export function useReading(id: Ref<number | null>) {
  return useQuery({
    queryKey: ["reading", id],
    queryFn: () => got(api.GET("/api/v1/readings/{reading_id}", { params: { path: { reading_id: id.value as number } } })),
    enabled: computed(() => id.value !== null),
    staleTime: Infinity,
  });
}

export function useReadings(trial: Ref<number | null>, arm: Ref<number>, caseAt: Ref<number>) {
  return useQuery({
    queryKey: ["readings", trial, arm, caseAt],
    queryFn: () =>
      got(
        api.GET("/api/v1/trials/{trial_id}/readings", {
          params: {
            path: { trial_id: trial.value as number },
            query: { arm: arm.value, case_at: caseAt.value },
          },
        }),
      ),
    enabled: computed(() => trial.value !== null),
  });
}
