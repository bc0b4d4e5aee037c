import { useInfiniteQuery, useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { TryOut } from "./schema";

/** What was tried on the draft, newest first, looked up while `wanted`. */
export function useTries(name: Ref<string>, wanted: () => boolean) {
  return useInfiniteQuery({
    queryKey: keys.tries(name),
    queryFn: ({ pageParam }) => got(api.GET("/api/v1/subjects/{name}/tries", { params: { path: { name: name.value }, query: { before: pageParam } } })),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => (last.more ? (last.tries.at(-1)?.id ?? null) : null),
    enabled: computed(wanted),
    staleTime: 0,
  });
}

/** One try with all that was sent and answered, which never changes. */
export function useTry(name: Ref<string>, id: Ref<number | null>) {
  return useQuery({
    queryKey: keys.try(name, id),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/tries/{try_id}", { params: { path: { name: name.value, try_id: id.value as number } } })),
    enabled: computed(() => id.value !== null),
    staleTime: Infinity,
  });
}

/** The request that a try would send, as it would be sent. */
/** `mayAsk`: a look-up by meaning may ask a model; at each letter that is typed it may not. */
export const fetchRequest = (name: string, body: TryOut, mayAsk = true) =>
  got(api.POST("/api/v1/subjects/{name}/requests", { params: { path: { name }, query: { may_ask: mayAsk } }, body }));
