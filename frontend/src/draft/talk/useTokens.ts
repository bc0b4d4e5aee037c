import { ref, shallowRef, watch } from "vue";

import { fetchRequest } from "@/api/tries";

import type { ExactRequest, TryOut } from "@/api/schema";

/**
 * The request as it would be sent, built anew whenever what it is made of changes. One is asked for at
 * a time, and then the newest; null while it can't be built. `changes` tells when.
 */
export function useTokens(name: string, body: () => TryOut | null, changes: () => unknown) {
  const request = shallowRef<ExactRequest | null>(null);
  /** How often it was built: the bench watches it. */
  const built = ref(0);
  let busy = false;
  let waiting = false;

  async function build(): Promise<void> {
    if (busy) {
      waiting = true;
      return;
    }
    const wanted = body();
    if (!wanted) return;
    busy = true;
    try {
      request.value = await fetchRequest(name, wanted, false);
    } catch {
      request.value = null; // the sheet says what is wrong with it
    } finally {
      busy = false;
      built.value += 1;
      if (waiting) {
        waiting = false;
        void build();
      }
    }
  }

  watch(changes, build, { immediate: true });
  return { request, built };
}
