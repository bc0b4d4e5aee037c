import { reactive } from "vue";

export interface Notice {
  id: number;
  text: string;
  kind: "said" | "wrong";
  undo?: () => void;
}

export const notices = reactive<Notice[]>([]);
const SHOWN_MS = 8_000;
let last = 0;

function add(notice: Omit<Notice, "id">): void {
  const id = ++last;
  notices.push({ ...notice, id });
  if (notices.length > 3) notices.shift();
  if (notice.kind === "said") setTimeout(() => dismiss(id), SHOWN_MS);
}

export function dismiss(id: number): void {
  const at = notices.findIndex((notice) => notice.id === id);
  if (at >= 0) notices.splice(at, 1);
}

/** Say what was done, with a way back where there is one. */
export function say(text: string, undo?: () => void): void {
  add({ text, kind: "said", undo });
}

/** Say what went wrong; it stays until it is put away. */
export function complain(text: string): void {
  if (!notices.some((notice) => notice.text === text)) add({ text, kind: "wrong" });
}
