import type { Renamed } from "@/api/schema";

/** Rename an input in the draft and the cases; without `apply` only what would change is told. */
export type RenameDraft = (from: string, to: string, apply: boolean) => Promise<Renamed>;
