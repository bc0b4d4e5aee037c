/** A recorded look at the cases that a trial holds out: while it stands in the address, they are all that is shown. */
import { computed } from "vue";
import { useRoute } from "vue-router";

import type { TrialPage } from "@/api/schema";

export function useLook() {
  const route = useRoute();
  return computed(() => (/^\d+$/.test(String(route.query.look ?? "")) ? Number(route.query.look) : null));
}

/** Places of the cases that are held out, with their variations. */
export function heldOut(page: TrialPage): Set<number> {
  return new Set(page.held_out.flatMap(([first, last]) => Array.from({ length: last! - first! + 1 }, (_, at) => first! + at)));
}
