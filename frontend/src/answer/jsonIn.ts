/** The record or list that an answer is, alone or in a fence; undefined for any other answer. */
export function jsonIn(text: string): unknown {
  const bare = text.trim().replace(/^```(?:json)?\s*\n([\s\S]*)\n```$/, "$1");
  if (!/^[[{]/.test(bare) || bare.length > 200_000) return undefined;
  try {
    return JSON.parse(bare) as unknown;
  } catch {
    return undefined;
  }
}
