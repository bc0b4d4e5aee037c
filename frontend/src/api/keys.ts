/** The names under which answers of the server are kept. A shorter one stands for all that begin with it. */
import type { MaybeRef } from "vue";

type Name = MaybeRef<string>;
type Id = MaybeRef<number | null>;

export const keys = {
  desk: (...find: Name[]) => ["desk", ...find],
  starters: () => ["starters"],
  patterns: () => ["patterns"],
  settings: () => ["settings"],
  checks: () => ["checks"],

  rules: (name: Name, checks: Name) => ["rules", name, checks],
  bench: (name: Name, asked: Name) => ["bench", name, asked],

  subject: (name: Name) => ["subject", name],
  versions: (name: Name) => ["versions", name],
  scores: (name: Name) => ["versions", name, "scores"],
  version: (name: Name, number: Id) => ["version", name, number],

  content: (reference: Name) => ["content", reference],

  cases: (name: Name, ...rest: unknown[]) => ["cases", name, ...rest],
  caseSets: (name: Name) => ["cases", name, "sets"],
  strips: (name: Name, ...which: unknown[]) => ["fared", name, "strips", ...which],
  caseArms: (name: Name) => ["fared", name, "arms"],
  review: (name: Name) => ["fared", name, "review"],
  fared: (name: Name, number?: Id) => ["fared", name, "case", number],
  case: (name: Name, ...number: unknown[]) => ["case", name, ...number],
  personSays: (asked: Name) => ["person says", asked],
  chainSteps: (name: Name) => ["chain steps", name],
  walks: (name: Name) => ["walks", name],
  stepCalls: (walk: Id, at: Name) => ["step calls", walk, at],
  walkStep: (walk: Id, at: Name) => ["walk step", walk, at],
  pauses: () => ["pauses"],
  tries: (name: Name) => ["tries", name],
  try: (name: Name, id: Id) => ["try", name, id],

  fragments: () => ["fragments"],
  fragment: (name: MaybeRef<string | null>) => ["fragments", "one", name],
  fragmentText: (name: MaybeRef<string | null>, number: Id) => ["fragment text", name, number],

  toolbox: () => ["tools"],
  tool: (name: MaybeRef<string | null>) => ["tools", "one", name],
  toolVersion: (name: Name, number: Id) => ["tool version", name, number],
  toolCalls: (name: MaybeRef<string | null>) => ["tools", "calls", name],
  toolTakes: (tool: Name) => ["tool takes", tool],
  source: (name: MaybeRef<string | null>) => ["tools", "source", name],

  collections: () => ["collections"],
  collection: (name: MaybeRef<string | null>, version?: Id, find?: Name) => ["collections", "one", name, version, find],
  document: (collection: Name, stem: Name, version?: Id) => ["collections", "document", collection, stem, version],
  brought: (collection: Name, ...how: Name[]) => ["brought", collection, ...how],
  lookUps: (collection: Name, ...asked: Name[]) => ["look ups", collection, ...asked],
  lookUpCases: (collection: Name) => ["collections", "cases", collection],
  vectors: (collection: Name) => ["collections", "vectors", collection],

  models: () => ["models"],
  serverKeys: () => ["keys"],

  trials: (name: Name, ...find: Name[]) => ["trials", name, ...find],
  anyTrial: () => ["trial"],
  trial: (id: Id) => ["trial", id],
  trialCase: (id: Id, position: Id) => ["trial", id, "case", position],
  estimate: (name: Name, ...plan: Name[]) => ["estimate", name, ...plan],
  verdict: (id: Id, ...how: unknown[]) => ["verdict", id, ...how],
  verdictTags: (id: Id, ...how: unknown[]) => ["verdict", id, "tags", ...how],
  modelVerdicts: (id: Id, ...how: unknown[]) => ["verdict", id, "models", ...how],
  readings: (trial: Id, ...where: Id[]) => ["readings", trial, ...where],
  trialWalks: (id: Id) => ["verdict", id, "walks"],
  readingWalk: (id: Id, look: Id) => ["reading walk", id, look],
  reading: (id: Id, look: Id) => ["reading", id, look],
};
