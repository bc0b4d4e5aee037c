import { keepPreviousData, useMutation, useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { BenchAnswer, BenchIn, CheckUse } from "./schema";
import { useStale } from "./stale";

export function useCheckKinds() {
  return useQuery({ queryKey: keys.checks(), queryFn: () => got(api.GET("/api/v1/checks")), staleTime: Infinity });
}

/** What checks say of a text and of the latest tries; `asked` is the question as JSON, empty for none. */
export function useBench(name: Ref<string>, asked: Ref<string>) {
  return useQuery({
    queryKey: keys.bench(name, asked),
    queryFn: () =>
      got(
        api.POST("/api/v1/subjects/{name}/checks/bench", {
          params: { path: { name: name.value } },
          body: JSON.parse(asked.value) as BenchIn,
        }),
      ),
    enabled: computed(() => asked.value !== ""),
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 0,
  });
}

/** The rules in the draft's own words; `checks` are those that it has, which are kept when `kept`. */
export function useRules(name: () => string, checks: () => string, kept: () => boolean) {
  return useQuery({
    queryKey: computed(() => keys.rules(name(), checks())),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/checks/rules", { params: { path: { name: name() } } })),
    enabled: computed(kept),
    placeholderData: keepPreviousData,
    gcTime: 0,
  });
}

/** What a check would have said of a past trial's answers; nothing is kept of it. */
export const rejudge = (trial: number, body: CheckUse) =>
  got(api.POST("/api/v1/trials/{trial_id}/rejudged", { params: { path: { trial_id: trial } }, body }));

/** Puts a judge to the test with answers whose scores are known; verdicts and benches hear of it. */
export function useJudgeTest() {
  const stale = useStale();
  return useMutation({
    mutationFn: (body: CheckUse) => got(api.POST("/api/v1/judges/test", { body })),
    onSuccess: () => stale.judges(),
  });
}

/** What a judge says of a text, or of the answer of a try. */
export const judgeAnswer = (name: string, check: CheckUse, { text, try_id }: Pick<BenchAnswer, "text" | "try_id">) =>
  got(api.POST("/api/v1/subjects/{name}/checks/judged", { params: { path: { name } }, body: { check, ...(try_id === null ? { text } : { try_id }) } }));
