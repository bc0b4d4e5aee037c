/** Values of inputs, as they are typed and as they are sent. */

/** What was typed: a record or list where it is JSON of one, else the text itself. */
export function valueOf(text: string): unknown {
  if (!/^\s*[[{]/.test(text)) return text;
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}

export function asText(value: unknown): string {
  if (value === undefined || value === null) return "";
  return typeof value === "string" ? value : JSON.stringify(value, null, 2);
}
