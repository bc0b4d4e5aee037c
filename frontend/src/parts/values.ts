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

/** What was typed in the kind of value that stood there before. */
export function valueLike(kept: unknown, text: string): unknown {
  if (kept !== undefined && asText(kept) === text) return kept;
  if (typeof kept === "number") return text.trim() !== "" && Number.isFinite(Number(text)) ? Number(text) : text;
  if (typeof kept === "boolean") return text.trim() === "true" || (text.trim() !== "false" && text);
  if (typeof kept === "string" && kept !== "") return text;
  return valueOf(text);
}

export function isPicture(value: unknown): value is string {
  return typeof value === "string" && value.startsWith("data:image/");
}

/** As a list or a sheet shows it: a picture is not written out. */
export function shown(value: unknown): string {
  return isPicture(value) ? "(a picture)" : asText(value);
}

/** What stands between commas, without what is empty. */
export function listFrom(text: string): string[] {
  return text.split(",").map((each) => each.trim()).filter(Boolean);
}

export function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

/** The same value, with nothing shared. */
export function copied<T>(value: T): T {
  return JSON.parse(JSON.stringify(value)) as T;
}

/** Whether two values say the same, whatever the order of their keys; what is null is as if it were not there. */
export function alike(one: unknown, other: unknown): boolean {
  return plain(one) === plain(other);
}

function plain(value: unknown): string {
  return JSON.stringify(value, (_key, each: unknown) =>
    isRecord(each) ? Object.fromEntries(Object.entries(each).filter(([, inner]) => inner !== null).sort(([a], [b]) => (a < b ? -1 : 1))) : each,
  );
}

/** A value as one reads it: passages each after its title, a record's fields a line each. */
export function readText(value: unknown): string {
  if (Array.isArray(value)) return value.map((each, at) => (isRecord(each) && "text" in each ? `[${at + 1}] ${each.title ? `${String(each.title)}: ` : ""}${String(each.text)}` : `- ${readText(each)}`)).join("\n");
  if (isRecord(value)) return Object.entries(value).map(([name, each]) => `${name}: ${readText(each)}`).join("\n");
  return shown(value);
}
