import { refDebounced } from "@vueuse/core";
import { computed, type Ref } from "vue";

/** A value that follows another once that has rested for a moment, so that each letter typed asks for nothing. */
export function useRested<T>(value: () => T, restMs = 150): Readonly<Ref<T>> {
  return refDebounced(computed(value), restMs);
}
