import { useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef } from "vue";

import { api, got, ifMatch } from "./client";
import { keys } from "./keys";
import type { ModelEntry as Entry, ModelLine } from "./schema";
import { useStale } from "./stale";

export function useModels() {
  return useQuery({
    queryKey: keys.models(),
    queryFn: () => got(api.GET("/api/v1/models")),
    staleTime: 60_000,
  });
}

/** The keys that the operator of the server has set, by name. */
export function useServerKeys() {
  return useQuery({ queryKey: keys.serverKeys(), queryFn: () => got(api.GET("/api/v1/keys")) });
}

/** Which of these models are stand-ins, in words to put under what they answered; empty without one. */
export function useStandIns(names: () => string[]): ComputedRef<string> {
  const models = useModels();
  return computed(() => {
    const found = (models.data.value?.models ?? []).filter((model) => model.built_in && names().includes(model.name)).map((model) => model.name);
    if (found.length === 0) return "";
    return found.length === 1 ? `${found[0]} is a stand-in: a simulated model.` : `${found.slice(0, -1).join(", ")} and ${found.at(-1)} are stand-ins: simulated models.`;
  });
}

/** The two ends of the list, which is in order of price: between them lies what a price buys. One without a price
 * stands at no end, and one that never answered may not work: those are taken only where there is no other. */
export function cheapestAndDearest(models: ModelLine[]): ModelLine[] {
  const answered = models.filter((model) => model.answered);
  const tried = answered.length ? answered : models;
  const priced = tried.filter((model) => model.input_cents > 0 || model.output_cents > 0);
  const among = priced.length ? priced : tried;
  const ends = [among[0], among.at(-1)].filter((model) => model !== undefined);
  return [...new Set(ends)];
}

/** A model without its name and what the server adds. */
export function entryOf({ name: _name, revision: _revision, built_in: _builtIn, answered: _answered, ignores: _ignores, ...entry }: ModelLine) {
  return entry;
}

/** What can be done with the list of models; all that shows it is told. */
export function useModelChanges() {
  const stale = useStale();
  const path = (name: string) => ({ path: { name } });
  return {
    /** Without a revision it is a new one. */
    save: async (name: string, revision: number | null, body: Entry) => {
      const header = revision === null ? {} : ifMatch(revision);
      const kept = await got(api.PUT("/api/v1/models/{name}", { params: { ...path(name), header }, body }));
      await stale.models();
      return kept;
    },
    remove: async ({ name, revision }: ModelLine) => {
      await api.DELETE("/api/v1/models/{name}", { params: { ...path(name), header: ifMatch(revision) } });
      await stale.models();
    },
    /** Ask it for one word. */
    greet: async (name: string) => {
      const found = await got(api.POST("/api/v1/models/greet/{name}", { params: path(name) }));
      await stale.models();
      return found;
    },
  };
}

export async function fetchModel(name: string): Promise<ModelLine> {
  const { models } = await got(api.GET("/api/v1/models"));
  const found = models.find((model) => model.name === name);
  if (!found) throw new Error(`${name} is off the list now.`);
  return found;
}
export const fetchOffered = (name: string) => got(api.GET("/api/v1/models/offered/{name}", { params: { path: { name } } }));
