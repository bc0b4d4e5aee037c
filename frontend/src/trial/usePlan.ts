import { computed, type Ref, ref, watch } from "vue";

import { cheapestAndDearest } from "@/api/queries";
import type { CasePage, CheckUse, ModelLine, Settings, SubjectPage, TrialPage, TrialPlan, VersionPage } from "@/api/schema";
import { copied } from "@/parts/values";
import { armOf, type PlannedArm } from "./arms";
import { numbersOf } from "./matrix";
import { type Question, questionOf } from "./question";

export interface PlanState {
  arms: PlannedArm[];
  /** No tag means all cases; several mean those that have any of them. */
  tags: string[];
  /** Just these cases, as an earlier trial had them; null leaves it to the tags. */
  numbers: number[] | null;
  repeats: number;
  checks: CheckUse[];
  question: Question;
}

/** The two newest versions on the first two models: what one most often wants to know. */
export function usualPlan(versions: VersionPage[], models: ModelLine[], subject: SubjectPage): PlanState {
  const numbers = versions.slice(0, 2).map((version) => version.number).reverse();
  const arms = cheapestAndDearest(models).flatMap((model) => numbers.map((version) => armOf(version, model.name)));
  return { arms, tags: [], numbers: null, repeats: 5, checks: copied(subject.checks), question: "likeliest" };
}

/** The same again. What an arm has from its version is left to the version. */
export function planLike(trial: TrialPage, cases: CasePage[], versions: VersionPage[]): PlanState {
  const ownOf = (version: number) => versions.find((each) => each.number === version)?.content.settings ?? {};
  const all = new Set(cases.map((each) => each.number));
  const asked = numbersOf(trial);
  const numbers = asked.filter((number) => all.has(number));
  // A trial of all cases there were is taken up as one of all there are.
  const [latest, took] = [asked.at(-1) ?? 0, new Set(asked)];
  const tookAll = cases.every((each) => each.number > latest || took.has(each.number));
  const arms = trial.arms.map((arm) => armOf(arm.version, arm.model, beyond(arm.settings, ownOf(arm.version))));
  const question = trial.question;
  return {
    arms,
    tags: [],
    numbers: tookAll ? null : numbers,
    repeats: trial.repeats,
    checks: copied(trial.checks),
    question: question && arms[question.arm] ? { arm: arms[question.arm]!.key, measure: question.measure } : "likeliest",
  };
}

/** The plan being made for a subject. It is remembered until a trial starts from it. */
export function usePlan(name: string, cases: Ref<CasePage[]>) {
  const memory = `epistem.plan.${name}`;
  const plan = ref<PlanState | null>(null);

  watch(
    plan,
    (state) => {
      try {
        if (state) localStorage.setItem(memory, JSON.stringify(state));
      } catch {
        // The browser keeps nothing; the plan is whole all the same.
      }
    },
    { deep: true },
  );

  const tags = computed(() => {
    const counts = new Map<string, number>();
    for (const each of cases.value) for (const tag of each.content.tags ?? []) counts.set(tag, (counts.get(tag) ?? 0) + 1);
    return [...counts].sort((a, b) => b[1] - a[1]);
  });
  const chosen = computed(() => {
    const state = plan.value;
    if (!state) return [];
    if (state.numbers) return cases.value.filter((each) => state.numbers?.includes(each.number));
    if (state.tags.length === 0) return cases.value;
    return cases.value.filter((each) => each.content.tags?.some((tag) => state.tags.includes(tag)));
  });
  const calls = computed(() => (plan.value ? plan.value.arms.length * chosen.value.length * (plan.value.repeats || 0) : 0));

  function body(): TrialPlan {
    const state = plan.value as PlanState;
    return {
      arms: state.arms.map(({ version, model, settings }) => ({ version, model, settings: without(settings) })),
      cases: state.tags.length === 0 && !state.numbers ? null : chosen.value.map((each) => each.number),
      repeats: state.repeats,
      checks: state.checks,
      question: questionOf(state.question, state.arms, state.checks),
      seed: Math.floor(Math.random() * 2 ** 31),
    };
  }

  function remembered(): PlanState | null {
    try {
      const kept = JSON.parse(localStorage.getItem(memory) ?? "null") as PlanState | null;
      if (!kept) return null;
      const arms = kept.arms.map((arm) => armOf(arm.version, arm.model, arm.settings));
      const asked = kept.question ?? "likeliest";
      if (typeof asked === "string") return { ...kept, arms, question: asked };
      const at = kept.arms.findIndex((arm) => arm.key === asked.arm);
      return { ...kept, arms, question: arms[at] ? { ...asked, arm: arms[at].key } : "likeliest" };
    } catch {
      return null;
    }
  }
  const forget = () => localStorage.removeItem(memory);

  return { plan, tags, chosen, calls, body, remembered, forget };
}

function beyond(settings: Settings, own: Settings): Settings {
  const differs = ([name, value]: [string, unknown]) => JSON.stringify(value) !== JSON.stringify(own[name as keyof Settings] ?? null);
  return without(Object.fromEntries(Object.entries(settings).filter(differs)));
}

function without(settings: Settings): Settings {
  return Object.fromEntries(Object.entries(settings).filter(([, value]) => value !== null && value !== undefined));
}
