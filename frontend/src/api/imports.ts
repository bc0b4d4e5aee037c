import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, got } from "./client";
import { keys } from "./keys";
import type { Reading } from "./schema";
import { staleIn } from "./stale";

/** What the server takes of a file at most. */
export const MOST_BYTES = 50_000_000;

/** The latest files that cases came of, looked up while `wanted`. */
export function useImports(name: Ref<string>, wanted: () => boolean) {
  return useQuery({
    queryKey: keys.cases(name, "imports"),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/imports", { params: { path: { name: name.value } } })),
    enabled: computed(wanted),
  });
}

/** What can be done with files of cases; all that shows cases is told. */
export function useImportChanges(name: () => string) {
  const stale = staleIn(useQueryClient());
  const path = (import_id: number) => ({ name: name(), import_id });
  return {
    begin: (file: string, content: Blob) =>
      got(
        api.POST("/api/v1/subjects/{name}/imports", {
          params: { path: { name: name() }, query: { file } },
          headers: { "Content-Type": "application/octet-stream" },
          body: content as unknown as string,
          bodySerializer: (body: unknown) => body as Blob,
        }),
      ),
    look: (id: number) => got(api.GET("/api/v1/subjects/{name}/imports/{import_id}/look", { params: { path: path(id) } })),
    state: (id: number) => got(api.GET("/api/v1/subjects/{name}/imports/{import_id}", { params: { path: path(id) } })),
    read: (id: number, body: Reading) => got(api.PUT("/api/v1/subjects/{name}/imports/{import_id}/reading", { params: { path: path(id) }, body })),
    keep: async (id: number) => {
      try {
        return await got(api.POST("/api/v1/subjects/{name}/imports/{import_id}/keep", { params: { path: path(id) } }));
      } finally {
        await stale.cases(name());
      }
    },
    undo: async (id: number) => {
      const undone = await got(api.POST("/api/v1/subjects/{name}/imports/{import_id}/undo", { params: { path: path(id) } }));
      await stale.cases(name());
      return undone;
    },
  };
}
