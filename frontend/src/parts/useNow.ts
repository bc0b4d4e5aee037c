import { onScopeDispose, ref } from "vue";

/** The time in milliseconds, a second at a time. */
export function useNow() {
  const now = ref(Date.now());
  const timer = setInterval(() => (now.value = Date.now()), 1_000);
  onScopeDispose(() => clearInterval(timer));
  return now;
}
