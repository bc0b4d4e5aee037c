import type { CheckUse } from "@/api/schema";

/** An id that no other use of this check has: the first has none. */
export function freeId(uses: CheckUse[], check: string): string {
  const taken = new Set(uses.filter((use) => use.check === check).map((use) => use.id ?? ""));
  for (let number = 1; ; number += 1) {
    const id = number === 1 ? "" : String(number);
    if (!taken.has(id)) return id;
  }
}
