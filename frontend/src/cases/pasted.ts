import type { Case } from "@/api/schema";

export interface PastedCase {
  text: string;
  label: string | null;
}

/** A line a case; what stands after a tab is its label. Empty lines and repeated ones are left out. */
export function casesIn(pasted: string): PastedCase[] {
  const found = new Map<string, PastedCase>();
  for (const line of pasted.split(/\r?\n/)) {
    const [text = "", label = ""] = line.split("\t").map((each) => each.trim());
    if (text) found.set(text, { text, label: label || null });
  }
  return [...found.values()];
}

export function asCase({ text, label }: PastedCase, input: string, tags: string[]): Case {
  return { inputs: { [input]: text }, expect: label ? { label } : {}, tags, origin: "pasted" };
}
