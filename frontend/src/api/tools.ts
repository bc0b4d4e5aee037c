import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { byHeader } from "@/frame/who";
import { api, got, noConnection, problemFrom, Refusal } from "./client";
import { keys } from "./keys";
import type { CallIn, NewAddress, NewPlace, NewTool, NewToolVersion, SourceLine, Tool } from "./schema";
import { useStale } from "./stale";

/** What the server takes of an attached file at most. */
export const MOST_SOURCE_BYTES = 64_000_000;

export function useToolbox() {
  return useQuery({ queryKey: keys.toolbox(), queryFn: () => got(api.GET("/api/v1/tools")), staleTime: 10_000 });
}

export function useTool(name: Ref<string | null>) {
  return useQuery({
    queryKey: keys.tool(name),
    queryFn: () => got(api.GET("/api/v1/tools/{tool}", { params: { path: { tool: name.value as string } } })),
    enabled: computed(() => name.value !== null),
  });
}

export function fetchToolVersion(tool: string, number: number) {
  return got(api.GET("/api/v1/tools/{tool}/versions/{number}", { params: { path: { tool, number } } }));
}

export function useCallsByHand(name: Ref<string | null>) {
  return useQuery({
    queryKey: keys.toolCalls(name),
    queryFn: () => got(api.GET("/api/v1/tools/{tool}/calls", { params: { path: { tool: name.value as string } } })),
    enabled: computed(() => name.value !== null),
  });
}

/** The schema of what a tool is called with: its own parameters, else those of what it does, which the server knows. */
export function useToolTakes(tool: Ref<Tool>) {
  const own = computed(() => (typeof tool.value.parameters === "object" ? tool.value.parameters : null));
  /** As far as its parameters depend on it, so that nothing is asked at each letter that is typed. */
  const asked = computed(() => {
    const { does } = tool.value;
    if (does?.kind === "sql") return JSON.stringify({ kind: "sql", statement: does.statement ? "SELECT 1" : "" });
    return JSON.stringify(does ? (does.kind === "look_up" ? { kind: "look_up", looking: { collection: "" } } : { kind: does.kind }) : null);
  });
  const told = useQuery({
    queryKey: keys.toolTakes(asked),
    queryFn: () => got(api.POST("/api/v1/tool-parameters", { body: { name: "tool", does: JSON.parse(asked.value) as Tool["does"] } })),
    enabled: computed(() => own.value === null),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
  return computed(() => own.value ?? told.data.value?.parameters ?? {});
}

export function useSource(name: Ref<string | null>) {
  return useQuery({
    queryKey: keys.source(name),
    queryFn: () => got(api.GET("/api/v1/sources/{source}", { params: { path: { source: name.value as string } } })),
    enabled: computed(() => name.value !== null),
  });
}

export function querySource(source: string, statement: string) {
  return got(api.POST("/api/v1/sources/{source}/query", { params: { path: { source } }, body: { statement } }));
}

/** Say whether a call may be made that waits for it. */
export function sayAllowed(token: string, allowed: boolean) {
  return got(api.PUT("/api/v1/permissions/{token}", { params: { path: { token } }, body: { allowed } }));
}

/** What can be done with tools; all that shows them is told. */
export function useToolChanges() {
  const stale = useStale();
  async function told<T>(work: Promise<T>): Promise<T> {
    const made = await work;
    await stale.tools();
    return made;
  }
  return {
    create: (body: NewTool) => told(got(api.POST("/api/v1/tools", { body }))),
    save: (tool: string, body: NewToolVersion) => told(got(api.POST("/api/v1/tools/{tool}/versions", { params: { path: { tool } }, body }))),
    call: (body: CallIn) => told(got(api.POST("/api/v1/tool-calls", { body }))),
    allow: (body: NewAddress) => told(got(api.PUT("/api/v1/tool-addresses", { body }))),
    disallow: (address: string) => told(got(api.DELETE("/api/v1/tool-addresses", { body: { address, inside: false } }))),
    point: (source: string, body: NewPlace) => told(got(api.PUT("/api/v1/sources/{source}", { params: { path: { source } }, body }))),
    attach: (source: string, about: string, file: File) => told(attach(source, about, file)),
    removeSource: (source: string) => told(got(api.DELETE("/api/v1/sources/{source}", { params: { path: { source } } }))),
  };
}

async function attach(source: string, about: string, file: File): Promise<SourceLine> {
  const asked = new URLSearchParams({ about, file: file.name.slice(0, 300) });
  const response = await fetch(`/api/v1/sources/${encodeURIComponent(source)}/file?${asked.toString()}`, {
    method: "PUT",
    headers: { "Content-Type": "application/octet-stream", ...byHeader() },
    body: file,
  }).catch(() => {
    throw noConnection();
  });
  if (!response.ok) throw new Refusal(await problemFrom(response));
  return (await response.json()) as SourceLine;
}
