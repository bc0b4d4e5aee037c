import { keepPreviousData, type QueryClient, useQueries, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref, ref, watch } from "vue";

import { api, got, ifMatch } from "./client";
import { keys } from "./keys";
import type { Case, CaseEntry, CaseList, CasePage, CaseRevision, EditedCase, Ending, ToPerson } from "./schema";
import { staleIn } from "./stale";

export const A_PAGE = 100;
const STRIPS_AGAIN_MS = 2_000;
/** So many pages are kept in step with the server at once; those scrolled past long ago are not. */
const LIVE_PAGES = 6;

export type Column = "number" | "case" | "label" | "tags" | "changed" | "turns" | "result";
export interface Order {
  sort: Column;
  down: boolean;
  /** The arm, as trial.position, by whose results it is. */
  of: string;
}
export const BY_NUMBER: Order = { sort: "number", down: false, of: "" };

interface Asked extends Partial<Order> {
  find?: string;
  at?: number;
  most?: number;
  around?: number;
}

const pageOf = (name: string, query: Asked) =>
  got(api.GET("/api/v1/subjects/{name}/cases", { params: { path: { name }, query } }));

/** The first few cases that are found: what a search box offers. */
export function useFoundCases(name: Ref<string>, find: Ref<string>, most: number, enabled: Ref<boolean> = ref(true)) {
  return useQuery({
    queryKey: keys.cases(name, "found", find, most),
    queryFn: () => pageOf(name.value, { find: find.value, most }),
    placeholderData: keepPreviousData,
    enabled,
  });
}

/** A list of any length, of which only the pages that are looked at are fetched. */
export function useCaseList(name: Ref<string>, find: Ref<string>, order: Ref<Order> = ref(BY_NUMBER)) {
  /** Starts of the pages that are looked at, the latest last. */
  const wanted = ref<number[]>([0]);
  watch([name, find, order], () => (wanted.value = [0]));

  const pages = useQueries({
    queries: computed(() =>
      wanted.value.map((at) => ({
        queryKey: keys.cases(name.value, "page", find.value, order.value, at),
        queryFn: () => pageOf(name.value, { find: find.value, ...order.value, at, most: A_PAGE }),
        placeholderData: at === 0 ? keepPreviousData : undefined,
      })),
    ),
  });
  const loaded = computed(() => pages.value.map((each) => each.data).filter((each): each is CaseList => !!each));
  const lines = computed(() => {
    const found = new Map<number, CaseEntry>();
    for (const page of loaded.value) page.cases.forEach((each, i) => found.set(page.at + i, each));
    return found;
  });
  const latest = computed(() => loaded.value.at(-1));
  const error = computed(() => pages.value.find((each) => each.error)?.error ?? null);

  /** Have the lines at these places fetched. A page may be shorter than asked for: the rest is asked for then. */
  function want(places: number[]): void {
    const missing = places.filter((at) => at < (latest.value?.found ?? 0) && !lines.value.has(at));
    const starts = missing.map((at) => {
      const start = at - (at % A_PAGE);
      const page = loaded.value.find((each) => each.at === start);
      return page ? start + page.cases.length : start;
    });
    const news = [...new Set(starts)].filter((at) => !wanted.value.includes(at));
    if (news.length) wanted.value = [...wanted.value, ...news].slice(-LIVE_PAGES);
  }

  /** The place of a case among those found; null if it is not there. */
  async function placeOf(number: number): Promise<number | null> {
    for (const [at, each] of lines.value) if (each.number === number) return at;
    return (await pageOf(name.value, { find: find.value, ...order.value, around: number, most: 1 })).place;
  }
  /** The case at a place, which may not be on a loaded page. */
  async function numberAt(place: number): Promise<number | null> {
    const here = lines.value.get(place);
    return here?.number ?? (await pageOf(name.value, { find: find.value, ...order.value, at: place, most: 1 })).cases[0]?.number ?? null;
  }

  return {
    lines,
    found: computed(() => latest.value?.found ?? 0),
    kept: computed(() => latest.value?.kept ?? 0),
    pending: computed(() => !latest.value && !error.value),
    error,
    retry: () => Promise.all(pages.value.map((each) => each.refetch())),
    want,
    placeOf,
    numberAt,
  };
}

const caseQuery = (name: string, number: number) => ({
  queryKey: keys.case(name, number),
  queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/{number}", { params: { path: { name, number } } })),
});

/** One case with its content; nothing is asked for while there is no number. */
export function useCase(name: Ref<string>, number: Ref<number | null>) {
  return useQuery({
    queryKey: keys.case(name, number),
    queryFn: () => caseQuery(name.value, number.value as number).queryFn(),
    enabled: computed(() => number.value !== null),
  });
}

export function fetchCase(queries: QueryClient, name: string, number: number): Promise<CasePage> {
  return queries.fetchQuery({ ...caseQuery(name, number), staleTime: 0 });
}

/** Every arm that asked a case, and what came of it. */
export function useFared(name: Ref<string>, number: Ref<number>) {
  return useQuery({
    queryKey: keys.fared(name, number),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/{number}/fared", { params: { path: { name: name.value, number: number.value } } })),
  });
}

/** What a case is paired with, and its variations. */
export function useCasePairs(name: Ref<string>, number: Ref<number>) {
  return useQuery({
    queryKey: keys.case(name, number, "pairs"),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/{number}/pairs", { params: { path: { name: name.value, number: number.value } } })),
  });
}

/** The named sets of a subject's cases. */
export function useCaseSets(name: Ref<string>) {
  return useQuery({
    queryKey: keys.caseSets(name),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/case-sets", { params: { path: { name: name.value } } })),
  });
}

/** What a case was before it was changed, the latest first. */
export function useEarlier(name: Ref<string>, number: Ref<number>, revision: Ref<number>) {
  return useQuery({
    queryKey: keys.case(name, number, "earlier", revision),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/{number}/earlier", { params: { path: { name: name.value, number: number.value } } })),
    enabled: computed(() => revision.value > 1),
  });
}

/** How some cases fared in up to three arms; again every moment while some of them is going on. */
export function useStrips(name: Ref<string>, numbers: Ref<number[]>, of: Ref<string[]>, going: () => boolean) {
  return useQuery({
    queryKey: keys.strips(name, of, numbers),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/strips", { params: { path: { name: name.value }, query: { of: of.value.join(","), numbers: numbers.value.join(",") } } })),
    enabled: computed(() => of.value.length > 0 && numbers.value.length > 0),
    placeholderData: keepPreviousData,
    refetchInterval: () => (going() ? STRIPS_AGAIN_MS : false),
  });
}

/** What the person of a case says to the last of these answers, by its turns and rules as they stand on the screen. */
export function usePersonSays(body: Ref<ToPerson>, enabled: () => boolean = () => true) {
  return useQuery({
    queryKey: keys.personSays(computed(() => JSON.stringify(body.value))),
    queryFn: () => got(api.POST("/api/v1/talks/next", { body: body.value })),
    placeholderData: keepPreviousData,
    enabled: computed(enabled),
    gcTime: 0,
  });
}

/** The same, asked once: where a model plays the person it costs something. */
export const askPerson = (body: ToPerson) => got(api.POST("/api/v1/talks/next", { body }));

/** What is found of a try as the last answer of a talk that ended so. */
export const endTry = (name: string, tryId: number, ended: Ending["ended"]) =>
  got(api.POST("/api/v1/subjects/{name}/tries/{try_id}/end", { params: { path: { name, try_id: tryId } }, body: { ended } }));

/** What is worth a look in the cases: doubles, contradictions, what tells nothing, what is missing. */
export function useReview(name: Ref<string>) {
  return useQuery({
    queryKey: keys.review(name),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/review", { params: { path: { name: name.value } } })),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

/** Arms of the latest trials, of which a list can show strips. */
export function useArms(name: Ref<string>) {
  return useQuery({
    queryKey: keys.caseArms(name),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/arms", { params: { path: { name: name.value } } })),
  });
}

export const fetchNumbers = (name: string, find: string) => got(api.GET("/api/v1/subjects/{name}/cases/numbers", { params: { path: { name }, query: { find } } }));

/** `step`: tags of the cases of that step of a chain alone, "" for those of the whole. */
export function useCaseTags(name: Ref<string>, step?: Ref<string>) {
  return useQuery({
    queryKey: keys.cases(name, "tags", step),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/cases/tags", { params: { path: { name: name.value }, query: { step: step?.value } } })),
    placeholderData: keepPreviousData,
  });
}

/** What can be done with the cases of a subject; all that shows them is told. */
export function useCaseChanges(name: () => string) {
  const queries = useQueryClient();
  const path = (number: number) => ({ name: name(), number });

  const stale = staleIn(queries);
  const refresh = () => stale.caseLists(name());

  async function told(page: CasePage): Promise<CasePage> {
    queries.setQueryData(keys.case(name(), page.number), page);
    await refresh();
    return page;
  }

  return {
    keep: async (body: Case) => told(await got(api.POST("/api/v1/subjects/{name}/cases", { params: { path: { name: name() } }, body }))),
    change: async (number: number, revision: number, body: Case) =>
      told(await got(api.PUT("/api/v1/subjects/{name}/cases/{number}", { params: { path: path(number), header: ifMatch(revision) }, body }))),
    keepAll: async (cases: Case[]) => {
      const kept = await got(api.POST("/api/v1/subjects/{name}/cases/several", { params: { path: { name: name() } }, body: { cases } }));
      await refresh();
      return kept.cases;
    },
    setAllAway: async (cases: CaseRevision[], deleted: boolean) => {
      const kept = await got(api.PUT("/api/v1/subjects/{name}/cases/deletion", { params: { path: { name: name() } }, body: { cases, deleted } }));
      await stale.cases(name());
      return kept.cases;
    },
    /** Give them tags, or take some from them; what it changed. */
    tagAll: async (numbers: number[], add: string[], remove: string[]) => {
      const edited = await got(api.PUT("/api/v1/subjects/{name}/cases/tags", { params: { path: { name: name() } }, body: { numbers, add, remove } }));
      await stale.cases(name());
      return edited.cases;
    },
    /** Made, or made anew: all that `find` finds, or these cases. */
    putSet: async (set: string, find: string, numbers: number[] | null) => {
      await got(api.PUT("/api/v1/subjects/{name}/case-sets/{set}", { params: { path: { name: name(), set } }, body: { find, numbers } }));
      await stale.cases(name());
    },
    removeSet: async (set: string) => {
      await got(api.DELETE("/api/v1/subjects/{name}/case-sets/{set}", { params: { path: { name: name(), set } } }));
      await stale.cases(name());
    },
    holdOut: async (numbers: number[], share: number) => {
      const edited = await got(api.PUT("/api/v1/subjects/{name}/cases/holdout", { params: { path: { name: name() } }, body: { numbers, share } }));
      await stale.cases(name());
      return edited.cases;
    },
    putAway: async (numbers: number[], away: boolean) => {
      const kept = await got(api.PUT("/api/v1/subjects/{name}/cases/away", { params: { path: { name: name() } }, body: { numbers, away } }));
      await stale.cases(name());
      return kept.cases;
    },
    /** One stays, with the tags of both, the other is put away; what undoes it. */
    merge: async (stays: number, goes: number) => {
      const merged = await got(api.POST("/api/v1/subjects/{name}/cases/merged", { params: { path: { name: name() } }, body: { stays, goes } }));
      await stale.cases(name());
      return async () => {
        await got(api.PUT("/api/v1/subjects/{name}/cases/merged", { params: { path: { name: name() } }, body: merged }));
        await stale.cases(name());
      };
    },
    /** Say that two which are alike are no doubles, or take that back. */
    setApart: async (one: number, other: number, apart: boolean) => {
      await got(api.PUT("/api/v1/subjects/{name}/cases/apart", { params: { path: { name: name() } }, body: { one, other, apart } }));
      await stale.cases(name());
    },
    /** Make them what they were before such a change. */
    restore: async (cases: EditedCase[]) => {
      await got(api.PUT("/api/v1/subjects/{name}/cases/restored", { params: { path: { name: name() } }, body: { cases } }));
      await stale.cases(name());
    },
    /** Put it away, or bring it back. */
    setAway: async (number: number, revision: number, deleted: boolean) =>
      told(
        await got(
          api.PUT("/api/v1/subjects/{name}/cases/{number}/deletion", { params: { path: path(number), header: ifMatch(revision) }, body: { deleted } }),
        ),
      ),
  };
}
