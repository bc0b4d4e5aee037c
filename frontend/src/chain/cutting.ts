/** Cut a step, with all that it holds, into a chain of its own, which the chain then calls. */
import { api, got, ifMatch } from "@/api/client";
import type { Chain, LedgerRow } from "@/api/schema";
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

/** Keep the piece as a subject with its first version; the call of it. */
export async function keptPiece(of: string, { chain, call }: Piece): Promise<Step> {
  const slug = call.name.toLowerCase().replaceAll(/[^a-z0-9]+/g, "-").replaceAll(/^-+|-+$/g, "");
  const name = `${of}-${slug}`.slice(0, 63);
  await got(api.POST("/api/v1/subjects", { body: { name, about: `cut out of ${of}`, kind: "chain" } }));
  const path = { name };
  const draft = await got(api.GET("/api/v1/subjects/{name}/chain", { params: { path } }));
  const kept = await got(api.PUT("/api/v1/subjects/{name}/chain", { params: { path, header: ifMatch(draft.revision) }, body: { content: chain } }));
  const saved = await got(api.POST("/api/v1/subjects/{name}/chain/versions", { params: { path, header: ifMatch(kept.revision) }, body: { note: `cut out of ${of}` } }));
  return { ...call, kept: `${name}@${saved.version.number}` } as Step;
}
