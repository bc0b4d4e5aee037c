import type { CheckKind } from "@/api/schema";

/** The checks that one may mean by these words, the likeliest first: each word begins one of theirs. */
export function findChecks(kinds: CheckKind[], typed: string): CheckKind[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return kinds;
  const weigh = (kind: CheckKind) => {
    const named = `${kind.key.replace(/[._]/g, " ")} ${kind.aspects.join(" ")} ${kind.also_called.join(" ")}`.toLowerCase();
    let weight = 0;
    for (const word of words) {
      if (begins(named, word)) weight += 2;
      else if (begins(kind.summary.toLowerCase(), word)) weight += 1;
      else return 0;
    }
    return weight;
  };
  return kinds
    .map((kind, at) => ({ kind, at, weight: weigh(kind) }))
    .filter(({ weight }) => weight > 0)
    .sort((one, other) => other.weight - one.weight || one.at - other.at)
    .map(({ kind }) => kind);
}

const begins = (text: string, word: string) => text.split(/[^\p{L}\d']+/u).some((each) => each.startsWith(word));
