import { useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { AskedWalk, Chain, SaidWord } from "./schema";

type Step = Chain["steps"][number];

/** All steps, those inside after the one that holds them. */
function allOf(steps: Step[]): Step[] {
  return steps.flatMap((step) => {
    if (step.kind === "repeat" || step.kind === "each") return [step, ...allOf(step.steps)];
    if (step.kind === "route") return [step, ...step.ways.flatMap((way) => allOf(way.steps ?? [])), ...allOf(step.otherwise ?? [])];
    return step.kind === "both" ? [step, ...step.branches.flatMap((branch) => allOf(branch.steps))] : [step];
  });
}

/** The steps of a chain's draft, once it is wanted. */
export function useChainSteps(name: Ref<string>, wanted: () => boolean) {
  const draft = useQuery({
    queryKey: keys.chainSteps(name),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/chain", { params: { path: { name: name.value } } })),
    enabled: computed(() => wanted()),
  });
  const steps = computed(() => allOf(draft.data.value?.content.steps ?? []));
  return { steps, names: computed(() => steps.value.map((step) => step.name)) };
}

/** Walks of a chain, newest first. */
export function useWalks(name: Ref<string>) {
  return useInfiniteQuery({
    queryKey: keys.walks(name),
    queryFn: ({ pageParam }) => got(api.GET("/api/v1/subjects/{name}/walks", { params: { path: { name: name.value }, query: { before: pageParam } } })),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => (last.more ? (last.walks.at(-1)?.id ?? null) : null),
  });
}

export const fetchWalk = (walk: number) => got(api.GET("/api/v1/walks/{walk}", { params: { path: { walk } } }));

/** One step of a walk that is over, with more of its values than the page has. */
export function useWalkStep(walk: Ref<number | null>, at: Ref<string>, wanted: () => boolean) {
  return useQuery({
    queryKey: keys.walkStep(walk, at),
    queryFn: () => got(api.GET("/api/v1/walks/{walk}/step", { params: { path: { walk: walk.value as number }, query: { at: at.value } } })),
    enabled: computed(() => walk.value !== null && wanted()),
    staleTime: Infinity,
  });
}

export function useStepCalls(walk: Ref<number | null>, at: Ref<string>, wanted: () => boolean) {
  return useQuery({
    queryKey: keys.stepCalls(walk, at),
    queryFn: () => got(api.GET("/api/v1/walks/{walk}/calls", { params: { path: { walk: walk.value as number }, query: { at: at.value } } })),
    enabled: computed(() => walk.value !== null && wanted()),
  });
}

/** What waits for a person, looked at every few seconds while it is shown. */
export function usePauses() {
  return useQuery({ queryKey: keys.pauses(), queryFn: () => got(api.GET("/api/v1/pauses")), refetchInterval: 4_000 });
}

export function useWalkChanges() {
  const queries = useQueryClient();
  return {
    begin: async (name: string, body: AskedWalk) => {
      const begun = await got(api.POST("/api/v1/subjects/{name}/walks", { params: { path: { name } }, body }));
      await queries.invalidateQueries({ queryKey: keys.walks(name) });
      return begun;
    },
    stop: (walk: number) => got(api.POST("/api/v1/walks/{walk}/stop", { params: { path: { walk } } })),
    say: async (pause: number, body: SaidWord) => {
      const said = await got(api.PUT("/api/v1/pauses/{pause}", { params: { path: { pause } }, body }));
      await queries.invalidateQueries({ queryKey: keys.pauses() });
      return said;
    },
    over: (name: string) => queries.invalidateQueries({ queryKey: keys.walks(name) }),
  };
}
