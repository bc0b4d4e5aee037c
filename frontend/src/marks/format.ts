const MINUS = "−";

/** `+8.3`, `−6.2`, `0.0`. */
export function points(value: number): string {
  const text = Math.abs(value).toFixed(1);
  if (text === "0.0") return "0.0";
  return (value > 0 ? "+" : MINUS) + text;
}

export function percent(value: number): string {
  return `${(value * 100).toFixed(value === 0 || value === 1 ? 0 : 1)}%`;
}

/** Cents with digits that mean something: `0.0031¢`, `21¢`. */
export function cents(value: number): string {
  if (value === 0) return "0¢";
  if (value >= 100) return `${Math.round(value).toLocaleString("en")}¢`;
  return `${Number(value.toPrecision(2)).toString()}¢`;
}

/** Milliseconds under a second, else seconds. */
export function duration(ms: number): string {
  return ms < 1000 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(1)} s`;
}

export function count(number: number, noun: string, nouns = `${noun}s`): string {
  return `${number.toLocaleString("en")} ${number === 1 ? noun : nouns}`;
}

/** `12 kB`, `3.4 MB`. */
export function bytes(number: number): string {
  if (number < 1_000) return count(number, "byte");
  return number < 1_000_000 ? `${Math.round(number / 1_000)} kB` : `${(number / 1_000_000).toFixed(1)} MB`;
}

export function words(text: string): number {
  return text.trim() ? text.trim().split(/\s+/).length : 0;
}

/** `14:02` today, `Mon 14:02` this week, else the date. */
export function when(iso: string, now = new Date()): string {
  const then = new Date(iso);
  const time = then.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const days = (now.getTime() - then.getTime()) / 86_400_000;
  if (then.toDateString() === now.toDateString()) return time;
  if (days < 6) return `${then.toLocaleDateString("en-GB", { weekday: "short" })} ${time}`;
  return then.toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
}

/** `1st`, `12th`, `23rd`. */
export function ordinal(number: number): string {
  const teens = number % 100 > 10 && number % 100 < 14;
  return `${number}${teens ? "th" : ({ 1: "st", 2: "nd", 3: "rd" }[number % 10] ?? "th")}`;
}
