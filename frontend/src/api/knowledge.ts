import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { Cut, DescribedDocument, Keeping, LookingUp, LookUpCaseIn, NewPassage } from "./schema";
import { staleIn } from "./stale";

/** What the server takes of a file at most. */
export const MOST_BYTES = 64_000_000;

export function useCollections() {
  return useQuery({ queryKey: keys.collections(), queryFn: () => got(api.GET("/api/v1/collections")) });
}

/** In one of its versions; the newest for null. Nothing is asked for while there is no name. */
export function useCollection(name: Ref<string | null>, version: Ref<number | null>, find: Ref<string>) {
  return useQuery({
    queryKey: keys.collection(name, version, find),
    queryFn: () => got(api.GET("/api/v1/collections/{collection}", { params: { path: { collection: name.value as string }, query: { version: version.value ?? undefined, find: find.value } } })),
    enabled: computed(() => name.value !== null),
    placeholderData: (before) => (before?.name === name.value ? before : undefined),
  });
}

/** A document passage by passage, a page at a time. */
export function useDocument(collection: Ref<string>, stem: Ref<string>, version: Ref<number | null>) {
  return useInfiniteQuery({
    queryKey: keys.document(collection, stem, version),
    queryFn: ({ pageParam }) =>
      got(
        api.GET("/api/v1/collections/{collection}/documents/{stem}", {
          params: { path: { collection: collection.value, stem: stem.value }, query: { version: version.value ?? undefined, after: pageParam } },
        }),
      ),
    initialPageParam: -1,
    getNextPageParam: (last) => (last.more ? last.holds.at(-1)?.position : undefined),
    enabled: computed(() => stem.value !== ""),
  });
}

export type HowCut = Pick<Cut, "most" | "overlap" | "level"> & { by?: "headings" | "length" | "rows" };

/** What was brought, as it would be cut. */
export function useBrought(collection: Ref<string>, how: Ref<HowCut>) {
  return useQuery({
    queryKey: keys.brought(collection, computed(() => JSON.stringify(how.value))),
    queryFn: () => got(api.GET("/api/v1/collections/{collection}/brought", { params: { path: { collection: collection.value }, query: how.value } })),
    enabled: computed(() => collection.value !== ""),
    placeholderData: keepPreviousData,
  });
}

export function useBroughtFile(collection: Ref<string>, file: Ref<number | null>, how: Ref<HowCut>) {
  return useQuery({
    queryKey: keys.brought(collection, "file", computed(() => String(file.value)), computed(() => JSON.stringify(how.value))),
    queryFn: () =>
      got(api.GET("/api/v1/collections/{collection}/brought/{file_id}", { params: { path: { collection: collection.value, file_id: file.value as number }, query: how.value } })),
    enabled: computed(() => file.value !== null),
    placeholderData: keepPreviousData,
  });
}

/** What a question finds; nothing is asked for without words. */
export function useLookUp(collection: Ref<string>, question: Ref<string>, looking: Ref<LookingUp>) {
  return useQuery({
    queryKey: keys.lookUps(collection, question, computed(() => JSON.stringify(looking.value))),
    queryFn: () =>
      got(api.POST("/api/v1/collections/{collection}/look-ups", { params: { path: { collection: collection.value } }, body: { question: question.value, looking: looking.value } })),
    enabled: computed(() => question.value.trim() !== "" && collection.value !== ""),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function useLookUpCases(collection: Ref<string>) {
  return useQuery({
    queryKey: keys.lookUpCases(collection),
    queryFn: () => got(api.GET("/api/v1/collections/{collection}/look-up-cases", { params: { path: { collection: collection.value } } })),
    enabled: computed(() => collection.value !== ""),
  });
}

export function useVectors(collection: Ref<string>, wanted: () => boolean) {
  return useQuery({
    queryKey: keys.vectors(collection),
    queryFn: () => got(api.GET("/api/v1/collections/{collection}/vectors", { params: { path: { collection: collection.value } } })),
    enabled: computed(wanted),
    retry: false,
    refetchInterval: ({ state }) => (state.data?.job && state.data.job.status !== "failed" ? 1_000 : false),
  });
}

/** What can be done with a collection; all that shows it is told. */
export function useKnowledgeChanges(name: () => string) {
  const stale = staleIn(useQueryClient());
  const path = () => ({ collection: name() });
  async function after<T>(what: Promise<T>): Promise<T> {
    const told = await what;
    await stale.collections();
    return told;
  }
  return {
    create: (body: { name: string; note: string }) => after(got(api.POST("/api/v1/collections", { body }))),
    describe: (note: string, embeds_with: string | null, searched_by: "memory" | "database") => after(got(api.PUT("/api/v1/collections/{collection}", { params: { path: path() }, body: { note, embeds_with, searched_by } }))),
    putAway: (away: boolean) => after(got(api.PUT("/api/v1/collections/{collection}/away", { params: { path: path() }, body: { away } }))),
    bring: (file: string, content: Blob) =>
      after(
        got(
          api.POST("/api/v1/collections/{collection}/brought", {
            params: { path: path(), query: { file } },
            headers: { "Content-Type": "application/octet-stream" },
            body: content as unknown as string,
            bodySerializer: (body: unknown) => body as Blob,
          }),
        ),
      ),
    cutBrought: (file_id: number, cut: Cut | null) =>
      after(got(api.PUT("/api/v1/collections/{collection}/brought/{file_id}/cut", { params: { path: { ...path(), file_id } }, body: { cut } }))),
    drop: (file_id: number) => after(got(api.DELETE("/api/v1/collections/{collection}/brought/{file_id}", { params: { path: { ...path(), file_id } } }))),
    dropAll: () => after(got(api.DELETE("/api/v1/collections/{collection}/brought", { params: { path: path() } }))),
    keep: (body: Keeping) => after(got(api.POST("/api/v1/collections/{collection}/versions", { params: { path: path() }, body }))),
    editPassage: (stem: string, number: number, text: string, seen: number) =>
      after(got(api.PUT("/api/v1/collections/{collection}/documents/{stem}/passages/{number}", { params: { path: { ...path(), stem, number } }, body: { text, seen } }))),
    writePassage: (body: NewPassage) => after(got(api.POST("/api/v1/collections/{collection}/passages", { params: { path: path() }, body }))),
    describeDocument: (stem: string, body: DescribedDocument) =>
      after(got(api.PUT("/api/v1/collections/{collection}/documents/{stem}", { params: { path: { ...path(), stem } }, body }))),
    cutDocument: (stem: string, body: Cut) => after(got(api.PUT("/api/v1/collections/{collection}/documents/{stem}/cut", { params: { path: { ...path(), stem } }, body }))),
    takeOut: (stem: string) => after(got(api.DELETE("/api/v1/collections/{collection}/documents/{stem}", { params: { path: { ...path(), stem } } }))),
    bringBack: (stem: string, version: number) =>
      after(got(api.PUT("/api/v1/collections/{collection}/documents/{stem}/back", { params: { path: { ...path(), stem } }, body: { version } }))),
    keepCase: (body: LookUpCaseIn) => after(got(api.POST("/api/v1/collections/{collection}/look-up-cases", { params: { path: path() }, body }))),
    changeCase: (number: number, body: LookUpCaseIn) =>
      after(got(api.PUT("/api/v1/collections/{collection}/look-up-cases/{number}", { params: { path: { ...path(), number } }, body }))),
    putCaseAway: (number: number, away: boolean) =>
      after(got(api.PUT("/api/v1/collections/{collection}/look-up-cases/{number}/away", { params: { path: { ...path(), number } }, body: { away } }))),
    measure: (settings: LookingUp[], besides: string[]) =>
      got(api.POST("/api/v1/collections/{collection}/measured", { params: { path: path() }, body: { settings, besides } })),
    /** Behind the pages: it goes on when this one is closed. */
    makeVectors: () => after(got(api.POST("/api/v1/collections/{collection}/vectors/all", { params: { path: path() } }))),
  };
}
