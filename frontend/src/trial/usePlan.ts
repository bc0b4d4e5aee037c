import { ref, watch } from "vue";

import { recall, remember } from "@/keep/storage";
import { cheapestAndDearest } from "@/api/models";
import type { CheckUse, ModelLine, Settings, SubjectPage, TrialPage, TrialPlan, VersionLine } from "@/api/schema";
import { copied } from "@/parts/values";
import { armOf, changeIn, type PlannedArm } from "./arms";
import type { Variation } from "./variations";
import { type Question, questionOf } from "./question";

export interface PlanState {
  arms: PlannedArm[];
  /** No tag means all cases; several mean those that have any of them. */
  tags: string[];
  /** Named sets, beside the tags. */
  sets: string[];
  /** Those that an earlier trial asked, as far as they are kept; null leaves it to the tags. */
  like: number | null;
  /** Of a chain: the one step that is tried, on its own cases; "" tries the whole. */
  alone: string;
  /** Of a chain: the trial that answers what it was asked exactly the same; null asks all anew. */
  asRecorded: number | null;
  repeats: number;
  steadiness: Variation[];
  checks: CheckUse[];
  question: Question;
}

/** The two newest versions on the first two models: what one most often wants to know. */
export function usualPlan(versions: VersionLine[], models: ModelLine[], subject: SubjectPage): PlanState {
  const numbers = versions.slice(0, 2).map((version) => version.number).reverse();
  // A chain asks the models of its steps.
  const asked = subject.kind === "chain" ? [""] : cheapestAndDearest(models).map(({ name }) => name);
  const arms = asked.flatMap((model) => numbers.map((version) => armOf(version, model)));
  return { arms, tags: [], sets: [], like: null, alone: "", asRecorded: null, repeats: 5, steadiness: [], checks: copied(subject.checks), question: "likeliest" };
}

/** The same again. What an arm has from its version is left to the version. */
export function planLike(trial: TrialPage, versions: VersionLine[]): PlanState {
  const ownOf = (version: number) => versions.find((each) => each.number === version)?.settings ?? {};
  const arms = trial.arms.map((arm) => armOf(arm.version, arm.is_chain && !arm.step ? "" : arm.model, arm.subject || arm.is_chain ? arm.settings : beyond(arm.settings, ownOf(arm.version)), arm.look_up, arm));
  const question = trial.question;
  return {
    arms,
    tags: [],
    sets: [],
    like: trial.took_all ? null : trial.id,
    alone: trial.alone,
    asRecorded: null,
    repeats: trial.repeats,
    steadiness: [...trial.steadiness],
    checks: copied(trial.checks),
    question: question && arms[question.arm] ? { arm: arms[question.arm]!.key, measure: question.measure } : "likeliest",
  };
}

/** The plan being made for a subject. It is remembered until a trial starts from it. */
export function usePlan(name: string) {
  const memory = `plan.${name}`;
  const plan = ref<PlanState | null>(null);

  watch(
    plan,
    (state) => state && remember(memory, state),
    { deep: true },
  );

  function body(): TrialPlan {
    const state = plan.value as PlanState;
    return {
      arms: state.arms.map(({ version, model, settings, lookUp, subject, step, prompt }) => ({ version, model, settings: without(settings), look_up: changeIn(lookUp), subject, step, prompt })),
      cases: null,
      tags: state.tags,
      sets: state.sets,
      like: state.like,
      alone: state.alone,
      as_recorded: state.asRecorded,
      repeats: state.repeats,
      steadiness: state.steadiness,
      checks: state.checks,
      question: questionOf(state.question, state.arms, state.checks),
      seed: Math.floor(Math.random() * 2 ** 31),
    };
  }

  function remembered(): PlanState | null {
    const kept = recall<PlanState>(memory);
    if (!kept?.arms) return null;
    const arms = kept.arms.map((arm) => armOf(arm.version, arm.model, arm.settings, arm.lookUp, arm));
    const plan = { ...kept, arms, like: kept.like ?? null, alone: kept.alone ?? "", asRecorded: kept.asRecorded ?? null, sets: kept.sets ?? [], steadiness: kept.steadiness ?? [] };
    const asked = kept.question ?? "likeliest";
    if (typeof asked === "string") return { ...plan, question: asked };
    const at = kept.arms.findIndex((arm) => arm.key === asked.arm);
    return { ...plan, question: arms[at] ? { ...asked, arm: arms[at].key } : "likeliest" };
  }
  const forget = () => remember(memory, null);

  return { plan, body, remembered, forget };
}

function beyond(settings: Settings, own: Settings): Settings {
  const differs = ([name, value]: [string, unknown]) => JSON.stringify(value) !== JSON.stringify(own[name as keyof Settings] ?? null);
  return without(Object.fromEntries(Object.entries(settings).filter(differs)));
}

function without(settings: Settings): Settings {
  return Object.fromEntries(Object.entries(settings).filter(([, value]) => value !== null && value !== undefined));
}
