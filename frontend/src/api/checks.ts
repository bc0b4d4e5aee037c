import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { BenchIn } from "./schema";

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
