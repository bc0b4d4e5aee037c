import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { CheckUse, TrialLine, TrialPlan } from "./schema";
import { staleIn } from "./stale";

/** Trials, newest first, a page at a time. */
export function useTrials(name: Ref<string>, find: Ref<string> = ref("")) {
  return useInfiniteQuery({
    queryKey: keys.trials(name, find),
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
    queryKey: keys.trial(id),
    queryFn: () =>
      got(api.GET("/api/v1/trials/{trial_id}", { params: { path: { trial_id: id.value as number } } })),
    enabled: computed(() => id.value !== null),
    staleTime: Infinity, // its events bring what lands later
  });
}

/** `missing`: what becomes of answers that never came; `baseline`: the arm that the others are held against. */
export function useVerdict(id: Ref<number | null>, missing: Ref<"failed" | "left_out">, baseline: Ref<number>, look: Ref<number | null>) {
  return useQuery({
    queryKey: keys.verdict(id, missing, baseline, look),
    queryFn: () =>
      got(
        api.GET("/api/v1/trials/{trial_id}/verdict", {
          params: { path: { trial_id: id.value as number }, query: { missing: missing.value, baseline: baseline.value, look: look.value } },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: computed(() => id.value !== null),
  });
}

/** How an arm fared by tag, looked up while there is something to compare. */
export function useTagResults(id: Ref<number>, arm: Ref<number | null>, baseline: Ref<number>, measure: Ref<number | null>, look: Ref<number | null>) {
  return useQuery({
    queryKey: keys.verdictTags(id, arm, baseline, measure, look),
    queryFn: () =>
      got(
        api.GET("/api/v1/trials/{trial_id}/verdict/tags", {
          params: { path: { trial_id: id.value }, query: { arm: arm.value as number, baseline: baseline.value, measure: measure.value, look: look.value } },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: computed(() => arm.value !== null),
  });
}

/** What the main comparison comes to on each model, looked up while `wanted`. */
export function useModelVerdicts(id: Ref<number>, missing: Ref<"failed" | "left_out">, look: Ref<number | null>, wanted: () => boolean) {
  return useQuery({
    queryKey: keys.modelVerdicts(id, missing, look),
    queryFn: () =>
      got(api.GET("/api/v1/trials/{trial_id}/verdict/models", { params: { path: { trial_id: id.value }, query: { missing: missing.value, look: look.value } } })),
    enabled: computed(wanted),
  });
}

/** One of a trial's cases, as it was when the trial was made. */
export function useTrialCase(trial: Ref<number>, position: Ref<number>) {
  return useQuery({
    queryKey: keys.trialCase(trial, position),
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

export function useReadings(trial: Ref<number | null>, arm: Ref<number>, caseAt: Ref<number>, look: Ref<number | null>) {
  return useQuery({
    queryKey: keys.readings(trial, arm, caseAt, look),
    queryFn: () =>
      got(
        api.GET("/api/v1/trials/{trial_id}/readings", {
          params: {
            path: { trial_id: trial.value as number },
            query: { arm: arm.value, case_at: caseAt.value, look: look.value },
          },
        }),
      ),
    enabled: computed(() => trial.value !== null),
  });
}

/** One reading with its calls, as they were sent and answered. */
export function useReading(id: Ref<number | null>, look: Ref<number | null>) {
  return useQuery({
    queryKey: keys.reading(id, look),
    queryFn: () => got(api.GET("/api/v1/readings/{reading_id}", { params: { path: { reading_id: id.value as number }, query: { look: look.value } } })),
    enabled: computed(() => id.value !== null),
    staleTime: Infinity,
  });
}

/** Where walks fail, and what they take, of a trial with chains. */
export function useTrialWalks(id: Ref<number>, wanted: () => boolean) {
  return useQuery({
    queryKey: keys.trialWalks(id),
    queryFn: () => got(api.GET("/api/v1/trials/{trial_id}/walks", { params: { path: { trial_id: id.value } } })),
    enabled: computed(wanted),
  });
}

/** The walk of a reading, which never changes. */
export function useReadingWalk(id: Ref<number | null>, look: Ref<number | null>) {
  return useQuery({
    queryKey: keys.readingWalk(id, look),
    queryFn: () => got(api.GET("/api/v1/readings/{reading_id}/walk", { params: { path: { reading_id: id.value as number }, query: { look: look.value } } })),
    enabled: computed(() => id.value !== null),
    staleTime: Infinity,
  });
}
export const findBlame = (reading: number) => got(api.POST("/api/v1/readings/{reading_id}/blame", { params: { path: { reading_id: reading } } }));

/** What can be done with trials; all that shows them is told. */
export function useTrialChanges() {
  const queries = useQueryClient();
  const stale = staleIn(queries);
  return {
    start: async (name: string, body: TrialPlan) => {
      const trial = await got(api.POST("/api/v1/subjects/{name}/trials", { params: { path: { name } }, body }));
      queries.setQueryData(keys.trial(trial.id), trial);
      void stale.trial(name, trial.id);
      return trial;
    },
    /** Look at the cases held out: recorded before anything is shown. */
    look: async (id: number, why: string) => {
      const made = await got(api.POST("/api/v1/trials/{trial_id}/looks", { params: { path: { trial_id: id } }, body: { why } }));
      await stale.trialPage(id);
      return made;
    },
    priceAnew: (id: number, checks?: CheckUse[]) =>
      got(api.POST("/api/v1/trials/{trial_id}/anew/price", { params: { path: { trial_id: id } }, body: { checks } })),
    /** Its answers judged anew, as a trial of its own. */
    judgeAnew: async (id: number, checks?: CheckUse[]) => {
      const trial = await got(api.POST("/api/v1/trials/{trial_id}/anew", { params: { path: { trial_id: id } }, body: { checks } }));
      queries.setQueryData(keys.trial(trial.id), trial);
      await Promise.all([stale.trial(trial.subject, trial.id), stale.trialPage(id)]);
      return trial;
    },
    tell: async ({ id, subject }: TrialLine, how: "stop" | "go-on" | "ask-again" | "try-now") => {
      await got(api.POST(`/api/v1/trials/{trial_id}/${how}`, { params: { path: { trial_id: id } } }));
      await Promise.all([stale.draft(subject), stale.trialPage(id)]);
    },
  };
}
