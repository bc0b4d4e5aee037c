import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { BenchIn, CheckUse } from "./schema";

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

/** What a check would have said of a past trial's answers; nothing is kept of it. */
export const rejudge = (trial: number, body: CheckUse) =>
  got(api.POST("/api/v1/trials/{trial_id}/rejudged", { params: { path: { trial_id: trial } }, body }));
