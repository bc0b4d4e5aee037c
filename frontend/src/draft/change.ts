import { inject, type InjectionKey } from "vue";

/** Do something to the draft, say what, and offer to take just that back. */
export type Change = (told: string, how: () => void) => void;
export const CHANGE: InjectionKey<Change> = Symbol("change");

/** For what is done to the draft by its sections. Outside a draft it is just done. */
export function useChange(): Change {
  return inject(CHANGE, (_told, how) => how());
}
