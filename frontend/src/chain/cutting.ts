/** Cut a step, with all that it holds, into a chain of its own, which the chain then calls. */
import { api, got, ifMatch } from "@/api/client";
import type { Chain, LedgerRow, Prompt } from "@/api/schema";
import { copied } from "@/parts/values";
import type { Step } from "./steps";

export interface Piece {
  chain: Chain;
  call: Step;
}

/** What becomes of it. What it reads and does not write are its inputs; what it writes is its own state, and comes back. */
export function pieceOf(chain: Chain, step: Step, at: string, rows: LedgerRow[]): Piece {
  const inside = rows.filter((row) => row.at === at || row.at.startsWith(`${at}.`));
  const writes = [...new Set(inside.flatMap((row) => row.writes))];
  const reads = [...new Set(inside.flatMap((row) => row.reads))].filter((name) => !writes.includes(name));
  const known = new Map((chain.inputs ?? []).map((input) => [input.name, input]));
  const own: Chain = {
    kind: "chain",
    inputs: reads.map((name) => known.get(name) ?? { name }),
    state: (chain.state ?? []).filter(({ name }) => writes.includes(name)),
    steps: [copied(step)],
    outputs: Object.fromEntries(writes.map((name) => [name, name])),
  };
  const outside = new Set(rows.filter((row) => !inside.includes(row)).flatMap((row) => row.reads));
  const told = Object.values(chain.outputs ?? {}).join(" ");
  const needed = writes.filter((name) => outside.has(name) || new RegExp(`\\b${name}\\b`).test(told));
  const call: Step = { kind: "call", name: step.name, chain: own, given: {}, writes: Object.fromEntries(needed.map((name) => [name, name])) };
  return { chain: own, call };
}

/** Keep the prompt of a step as a subject with its first version; the reference of that. */
export async function keptPrompt(of: string, step: string, prompt: Prompt): Promise<string> {
  const name = nameFor(of, step);
  await got(api.POST("/api/v1/subjects", { body: { name, about: `asked by ${of}` } }));
  const path = { name };
  const draft = await got(api.GET("/api/v1/subjects/{name}/draft", { params: { path } }));
  const kept = await got(api.PUT("/api/v1/subjects/{name}/draft", { params: { path, header: ifMatch(draft.revision) }, body: prompt }));
  const saved = await got(api.POST("/api/v1/subjects/{name}/versions", { params: { path, header: ifMatch(kept.revision) }, body: { note: `out of ${of}` } }));
  return `${name}@${saved.version.number}`;
}

function nameFor(of: string, step: string): string {
  const slug = step.toLowerCase().replaceAll(/[^a-z0-9]+/g, "-").replaceAll(/^-+|-+$/g, "");
  return `${of}-${slug}`.slice(0, 63);
}

/** Keep the piece as a subject with its first version; the call of it. */
export async function keptPiece(of: string, { chain, call }: Piece): Promise<Step> {
  const name = nameFor(of, call.name);
  await got(api.POST("/api/v1/subjects", { body: { name, about: `cut out of ${of}`, kind: "chain" } }));
  const path = { name };
  const draft = await got(api.GET("/api/v1/subjects/{name}/chain", { params: { path } }));
  const kept = await got(api.PUT("/api/v1/subjects/{name}/chain", { params: { path, header: ifMatch(draft.revision) }, body: { content: chain } }));
  const saved = await got(api.POST("/api/v1/subjects/{name}/chain/versions", { params: { path, header: ifMatch(kept.revision) }, body: { note: `cut out of ${of}` } }));
  return { ...call, kept: `${name}@${saved.version.number}` } as Step;
}
