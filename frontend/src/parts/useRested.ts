import { type Ref, ref, watch } from "vue";

/** A value that follows another once that has rested for a moment, so that each letter typed asks for nothing. */
export function useRested<T>(value: () => T, restMs = 150): Readonly<Ref<T>> {
  const rested = ref(value()) as Ref<T>;
  watch(value, (now, _, onCleanup) => {
    const timer = setTimeout(() => (rested.value = now), restMs);
    onCleanup(() => clearTimeout(timer));
  });
  return rested;
}
