import { computed, type Ref } from "vue";

import { useBench } from "@/api/checks";
import type { BenchPage, CheckUse } from "@/api/schema";
import { useRested } from "@/parts/useRested";

/** What each use of a check asks of every answer, in words, and why one can't be had; judged beside it are these. */
export function useSentences(name: Ref<string>, checks: () => CheckUse[] | null, judged: () => { text: string | null; tries: number } = () => ({ text: null, tries: 0 })) {
  const asked = useRested(() => {
    const uses = checks();
    return uses ? JSON.stringify({ checks: uses, ...judged() }) : "";
  }, 250);
  const bench = useBench(name, asked);
  const page = computed<BenchPage | undefined>(() => bench.data.value);
  const sentences = computed(() =>
    (checks() ?? []).map((_, at) => (page.value?.measures ?? []).filter((_m, m) => page.value?.of[m] === at).map((measure) => measure.title)),
  );
  const faults = computed(() => (page.value?.faults.length === checks()?.length ? page.value?.faults : undefined));
  const trust = computed(() =>
    (checks() ?? []).map((_, at) => page.value?.trust.find((_t, m) => page.value?.of[m] === at) ?? null),
  );
  return { bench, page, sentences, faults, trust };
}
