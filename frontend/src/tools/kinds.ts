import type { Tool } from "@/api/schema";
import { count } from "@/marks/format";

export type Work = NonNullable<Tool["does"]>;
export type WorkKind = Work["kind"] | "fixed";

/** What a tool may do, as it is chosen. */
export const KINDS: { kind: WorkKind; label: string }[] = [
  { kind: "fixed", label: "gives the answers below" },
  { kind: "http", label: "asks an address" },
  { kind: "sql", label: "reads rows by SQL" },
  { kind: "look_up", label: "looks passages up" },
  { kind: "clock", label: "tells date and time" },
  { kind: "arithmetic", label: "works out a sum" },
  { kind: "code", label: "calls installed code" },
];

export function newWork(kind: WorkKind): Work | null {
  if (kind === "http") return { kind, method: "GET", address: "" };
  if (kind === "sql") return { kind, source: "" };
  if (kind === "clock" || kind === "arithmetic") return { kind };
  if (kind === "code") return { kind, entry: "" };
  if (kind === "look_up") return { kind, looking: { collection: "" } };
  return null;
}

export const kindOf = (tool: Tool): WorkKind => tool.does?.kind ?? "fixed";

/** Whether it goes out of Epistem, so that a trial has to say how it is answered. */
export const goesOut = (tool: Tool): boolean => ["http", "sql", "code"].includes(kindOf(tool));

/** In a few words, for a list. */
export function inWords(tool: Tool): string {
  const { does } = tool;
  if (!does) return `fixed answers${tool.by_example?.length ? `, ${count(tool.by_example.length, "by example")}` : ""}`;
  if (does.kind === "http") return `${does.method ?? "GET"} ${does.address || "no address yet"}`;
  if (does.kind === "sql") return `${does.statement ? "a statement on" : "SQL on"} ${does.source || "no source yet"}`;
  if (does.kind === "look_up") return `look-ups in ${does.looking.collection || "no collection yet"}`;
  if (does.kind === "code") return does.entry || "no entry point yet";
  return does.kind === "clock" ? "date and time" : "sums";
}

export const IN_TRIALS = [
  { value: "recorded", label: "answers recorded for the case, else those below" },
  { value: "live", label: "is called each time" },
  { value: "first_live", label: "is called once, then answers the same call as before" },
] as const;

/** `{pier}` and `{?day,boat}` of an address, and `:pier` of a statement. */
export function namesIn(does: Work | null | undefined): string[] {
  if (does?.kind === "http") return [...(does.address ?? "").matchAll(/\{[?&]?([^{}]*)\}/g)].flatMap(([, names]) => names!.split(",")).filter(Boolean);
  if (does?.kind === "sql") return [...(does.statement ?? "").matchAll(/(?<![:\w]):([A-Za-z_]\w*)/g)].map(([, name]) => name!);
  return [];
}
