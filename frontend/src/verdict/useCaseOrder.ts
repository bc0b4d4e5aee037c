import { computed, type Ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import type { Ticks, TrialPage, VerdictPage } from "@/api/schema";
import { type Fate, fateOf, matrixOf, numbersOf } from "@/trial/matrix";
import { heldOut } from "./look";

const STEADY = "outcome.steady";
export const FATES: Record<Fate, string> = { lost: "worse", gained: "better", steady: "as before", unknown: "without both" };

interface Of {
  page: TrialPage;
  verdict: VerdictPage;
  ticks: Ticks[];
}

/** Which cases of a trial are shown, and in which order: those in sight, losses first, or those of one fate alone. */
export function useCaseOrder(of: Of, arm: Ref<number | null>, baseline: Ref<number>, measure: Ref<number | null>, look: Ref<number | null>) {
  const route = useRoute();
  const router = useRouter();
  const matrix = computed(() => matrixOf(of.page, of.ticks, measure.value));
  const numbers = computed(() => numbersOf(of.page));
  /** Variations stand behind the cases; they are shown where it is asked how steady the answers are. */
  const variations = computed(() => measure.value !== null && of.verdict.measures[measure.value]?.key === STEADY);
  const out = computed(() => heldOut(of.page));
  const isSeen = (at: number) => out.value.has(at) === (look.value !== null);
  const inSight = computed(() => Array.from({ length: of.page.cases }, (_, at) => at).filter(isSeen).length);
  const all = computed(() => {
    const ordered = arm.value === null ? byShare() : matrix.value.byGap(baseline.value, arm.value);
    return ordered.filter((at) => isSeen(at) && at < of.page.cases !== variations.value);
  });
  /** With one arm there is no gap: the cases that fail most come first. */
  function byShare(): number[] {
    const share = (at: number) => matrix.value.share(0, at) ?? 2;
    const positions = Array.from({ length: of.page.asked }, (_, position) => position);
    return positions.sort((a, b) => share(a) - share(b) || a - b);
  }

  const fate = (at: number): Fate => (arm.value === null ? "steady" : fateOf(matrix.value.gap(baseline.value, arm.value, at)));
  const fates = computed(() => {
    const found = { lost: 0, gained: 0, steady: 0, unknown: 0 };
    for (const at of all.value) found[fate(at)] += 1;
    return found;
  });
  /** Only the cases of this fate are shown, if one is chosen. */
  const only = computed(() => (Object.keys(FATES) as Fate[]).find((each) => each === route.query.show && fates.value[each] > 0) ?? null);
  const order = computed(() => (only.value === null ? all.value : all.value.filter((at) => fate(at) === only.value)));
  function showOnly(which: Fate): void {
    const query = { ...route.query };
    for (const name of ["show", "case", "at"]) delete query[name];
    void router.replace({ query: only.value === which ? query : { ...query, show: which } });
  }

  /** Numbers of the cases of which some answer of the arm fails, on the check that is chosen. */
  const failing = computed(() => {
    if (measure.value === null || variations.value) return [];
    return all.value.filter((at) => matrix.value.at(arm.value ?? 0, at).includes("failed")).map((at) => numbers.value[at]!);
  });

  return { matrix, numbers, inSight, order, fates, only, showOnly, failing };
}
