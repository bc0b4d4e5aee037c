import { useEventListener } from "@vueuse/core";
import { ref } from "vue";

import type { Place } from "./sheet";

/**
 * Dragging a part by its grip. `over` is the place that it would be put before; elements that can be
 * dropped on carry `data-place="message.part"`, with the half of it that is pointed at deciding.
 */
export function useDrag(drop: (from: Place, to: Place) => void) {
  const from = ref<Place | null>(null);
  const over = ref<Place | null>(null);

  function begin(event: PointerEvent, place: Place): void {
    event.preventDefault();
    from.value = place;
  }

  function move(event: PointerEvent): void {
    if (!from.value) return;
    const under = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>("[data-place]");
    if (!under) return;
    const [message = 0, part = 0] = under.dataset.place!.split(".").map(Number);
    const box = under.getBoundingClientRect();
    over.value = { message, part: event.clientY > box.top + box.height / 2 ? part + 1 : part };
  }

  function end(): void {
    const [begun, target] = [from.value, over.value];
    stop();
    if (begun && target) drop(begun, target);
  }

  function stop(): void {
    from.value = over.value = null;
  }
  useEventListener("pointermove", move);
  useEventListener("pointerup", end);
  useEventListener("keydown", (event) => event.key === "Escape" && stop());

  return { from, over, begin };
}
