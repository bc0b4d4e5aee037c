import { useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { NewFragment, NewFragmentText } from "./schema";
import { useStale } from "./stale";

export function useFragments() {
  return useQuery({ queryKey: keys.fragments(), queryFn: () => got(api.GET("/api/v1/fragments")), staleTime: 60_000 });
}

/** One fragment with its versions; nothing is asked for while there is no name. */
export function useFragment(name: Ref<string | null>) {
  return useQuery({
    queryKey: keys.fragment(name),
    queryFn: () => got(api.GET("/api/v1/fragments/{fragment}", { params: { path: { fragment: name.value as string } } })),
    enabled: computed(() => name.value !== null),
  });
}

/** The text of a version, which never changes. */
export function useFragmentText(name: Ref<string | null>, number: Ref<number>) {
  return useQuery({
    queryKey: keys.fragmentText(name, number),
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

/** What can be done with fragments; all that shows them is told. */
export function useFragmentChanges() {
  const stale = useStale();
  return {
    create: async (body: NewFragment) => {
      const made = await got(api.POST("/api/v1/fragments", { body }));
      await stale.fragments();
      return made;
    },
    saveVersion: async (fragment: string, body: NewFragmentText) => {
      const saved = await got(api.POST("/api/v1/fragments/{fragment}/versions", { params: { path: { fragment } }, body }));
      await stale.fragments();
      return saved;
    },
  };
}
