import { useEventListener } from "@vueuse/core";
import type { Ref } from "vue";

const STEPS: Record<string, (at: number, many: number) => number> = {
  ArrowDown: (at, many) => Math.min(at + 1, many - 1),
  ArrowUp: (at) => Math.max(at - 1, 0),
  Home: () => 0,
  End: (_, many) => many - 1,
};

/** Arrows, Home and End move the focus through the items of a list; Tab goes past it. Each item has tabindex -1 but
 * for one, which is the list's own to say. */
export function useRoving(list: Ref<HTMLElement | null>, items: string): void {
  useEventListener(list, "keydown", (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    const all = [...(list.value?.querySelectorAll<HTMLElement>(items) ?? [])];
    const at = all.findIndex((each) => each.contains(document.activeElement));
    if (!step || at < 0) return;
    event.preventDefault();
    event.stopPropagation();
    all[step(at, all.length)]?.focus();
  });
}
