import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";

import { keys } from "@/api/keys";
import { api, got, messageOf } from "@/api/client";
import type { TrialPlan } from "@/api/schema";
import { count, duration } from "@/marks/format";

const REST_MS = 250;

/** What a plan would take, asked for when it has rested a moment. `plan` gives null while it is not whole. */
export function useEstimate(name: string, plan: () => TrialPlan | null) {
  const asked = ref("");
  const wanted = computed(() => {
    const body = plan();
    return body ? JSON.stringify({ ...body, seed: 1 }) : "";
  });
  watch(
    wanted,
    (text, _, onCleanup) => {
      const rest = setTimeout(() => (asked.value = text), asked.value ? REST_MS : 0);
      onCleanup(() => clearTimeout(rest));
    },
    { immediate: true },
  );
  const query = useQuery({
    queryKey: keys.estimate(name, asked),
    queryFn: () =>
      got(
        api.POST("/api/v1/subjects/{name}/trials/estimate", {
          params: { path: { name } },
          body: JSON.parse(asked.value) as TrialPlan,
        }),
      ),
    enabled: computed(() => asked.value !== ""),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const estimate = computed(() => (wanted.value && !query.isError.value ? (query.data.value ?? null) : null));

  const takes = computed(() => {
    const found = estimate.value;
    if (!found) return "";
    const time = found.seconds === null ? "" : `, ${duration(Math.max(1, found.seconds) * 1000)} or so`;
    const basis = found.from_past ? "answers as long as those of past trials" : "the length of answers is a guess";
    return `About ${rounded(found.input_tokens)} in and ${rounded(found.output_tokens)} out${time}; ${basis}.`;
  });

  /** Why the server can't say what this plan takes, in its own words. */
  const fault = computed(() => (wanted.value && query.error.value ? messageOf(query.error.value) : ""));

  return { estimate, takes, fault };
}

/** Two digits that mean something: `350,000 tokens`. */
function rounded(tokens: number): string {
  return count(Number(tokens.toPrecision(2)), "token");
}
