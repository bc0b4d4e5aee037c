import { shallowRef } from "vue";

/** Cases that are chosen to be changed together: one by one, or from the last one chosen up to another. */
export function useChosen(numberAt: (place: number) => number | undefined) {
  const chosen = shallowRef(new Set<number>());
  let anchor: number | null = null;

  function toggle(place: number): void {
    const number = numberAt(place);
    if (number === undefined) return;
    const next = new Set(chosen.value);
    if (!next.delete(number)) next.add(number);
    chosen.value = next;
    anchor = place;
  }
  /** As far as the lines between are loaded. */
  function upTo(place: number): void {
    const from = anchor ?? place;
    const next = new Set(chosen.value);
    for (let at = Math.min(from, place); at <= Math.max(from, place); at += 1) {
      const number = numberAt(at);
      if (number !== undefined) next.add(number);
    }
    chosen.value = next;
  }
  function clear(): void {
    chosen.value = new Set();
    anchor = null;
  }
  return { chosen, toggle, upTo, clear };
}
