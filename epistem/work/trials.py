"""What a person does with trials: plan one, start it, stop it, let it go on."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.cases.content import Case
from epistem.core.cases.holdout import is_held_out
from epistem.core.cases.varied.vary import all_varied
from epistem.core.chains.askings import models_of
from epistem.core.chains.content import Chain
from epistem.core.chains.estimate import outlook_of
from epistem.core.chains.varied import VariedStep
from epistem.core.checks.bench import Bench
from epistem.core.checks.judge.asking import instructions
from epistem.core.checks.judge.rubrics import Judge
from epistem.core.checks.measures import Measure, check_uses, measures_of, options_of
from epistem.core.checks.registry import check_class
from epistem.core.checks.uses import CheckUse, numbered
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.rename import todays_names
from epistem.core.prompts.settings import Settings
from epistem.core.subjects.content import Content, inputs_asked
from epistem.core.trials.arms import content_of_arm, main_model, step_of_arm
from epistem.core.trials.besides import PlannedJudge, PlannedPerson
from epistem.core.trials.estimate import Estimate, PlannedArm, PlannedChain, estimate
from epistem.core.trials.plan import ArmPlan, TrialPlan, cells_of, check_plan, check_question
from epistem.core.trials.showing import cases_asked
from epistem.core.wire import tokens
from epistem.store import cases, cells, entries, models, renames, subjects, trials, versions
from epistem.store.cases import KeptCase
from epistem.store.database import Transaction
from epistem.store.models import Model
from epistem.store.subjects import Subject
from epistem.store.trials import NewArm, Trial
from epistem.store.versions import Version
from epistem.work import pinned
from epistem.work.case_sets import in_sets
from epistem.work.judging import check_judges
from epistem.work.knowledge.arms import look_ups_of
from epistem.work.replied import check_as_recorded, seeds_as_recorded
from epistem.work.walks.chains import speakers_of

STEADY = "outcome.steady"
"""The check of variations."""


class _SpeltOut(NamedTuple):
    """A plan with all that it refers to. `contents` are those of the arms: of their versions, with what the plan has
    otherwise. `speakers` are the models that steps of chains ask."""

    versions: list[Version]
    contents: list[Content]
    steps: list[VariedStep | None]
    models: list[Model]
    cases: list[KeptCase]
    varied: list[tuple[int, Case]]
    checks: list[CheckUse]
    measures: list[Measure]
    aliases: list[dict[str, str]]
    judges: list[Model]
    people: list[Model]
    look_ups: list[dict[str, LookingUp]]
    speakers: list[Model]

    @property
    def held_out(self) -> list[int]:
        """Places of the cases that are held out, and of their variations."""
        numbers = {each.number for each in self.cases if is_held_out(each.content)}
        return [at for at, (number, _) in enumerate(self.asked) if number in numbers]

    @property
    def asked(self) -> list[tuple[int, Case]]:
        """The cases, and behind them their variations, each with the case's number."""
        return [*((each.number, each.content) for each in self.cases), *self.varied]


class Outlook(NamedTuple):
    """Of a plan: how many cases it asks, how many variations of them beside, how many of both are held out,
    how many of the cases expect no label, its measures, how many cases in sight each has something to say
    of, and the model and settings of each arm."""

    cases: int
    varied: int
    held_out: int
    unlabelled: int
    measures: list[Measure]
    counts: list[int]
    asked: list[tuple[str, Settings]]


def estimate_of(
    tx: Transaction, subject: Subject, plan: TrialPlan, in_flight: int
) -> tuple[Estimate, Outlook]:
    """What the plan will take, and what is needed to say what it can show. Raises as `start`."""
    told, past = _spelt_out(tx, subject, plan), trials.past_answers(tx, subject)
    arms: list[PlannedArm | PlannedChain] = []
    for arm, content, model, aliases in zip(
        plan.arms, told.contents, told.models, told.aliases, strict=True
    ):
        length, ms = past.get(model.name, (None, None))
        if isinstance(content, Chain):
            likely = outlook_of(content, speakers_of(told.speakers)).likely
            arms.append(PlannedChain(content, likely, arm.settings, ms))
            continue
        settings = arm.settings.over(content.settings)
        prices = (model.context_window, model.input_cents, model.output_cents)
        arms.append(PlannedArm(content, settings, *prices, length, ms, aliases))
    contents = [content for _, content in told.asked]
    held_out = set(told.held_out)
    in_sight = [each for at, each in enumerate(contents) if at not in held_out]
    counts = cases_asked(told.checks, arms[0].content.reply, in_sight)
    found = estimate(
        arms,
        contents,
        plan.repeats,
        in_flight,
        planned_judges(told.checks, told.judges),
        {each.name: PlannedPerson(each.input_cents, each.output_cents) for each in told.people},
    )
    unlabelled = sum(each.content.expect.label is None for each in told.cases)
    asked = [(model.name, each.settings) for model, each in zip(told.models, arms, strict=True)]
    return found, Outlook(
        len(told.cases),
        len(told.varied),
        len(told.held_out),
        unlabelled,
        told.measures,
        counts,
        asked,
    )


def start(tx: Transaction, subject: Subject, plan: TrialPlan) -> Trial:
    """Keep the trial with all its cells, waiting. Raises InvalidInput or NotFound by field."""
    told = _spelt_out(tx, subject, plan)
    arms: list[NewArm] = []
    for arm, version, content, model in zip(
        plan.arms, told.versions, told.contents, told.models, strict=True
    ):
        Bench(told.checks, content.reply)  # raises for a check that this version can't have
        settings = arm.settings.over(content.settings)
        entry_id, at = entries.keep(tx, model), len(arms)
        known = (told.aliases[at], told.look_ups[at], told.steps[at])
        arms.append(NewArm(version.id, model.name, settings, entry_id, *known))
    numbers = [each.number for each in told.cases]
    spelt = {
        "cases": numbers,
        "tags": [],
        "sets": [],
        "like": None,
        "checks": told.checks,
        "varied": len(told.varied),
        "held_out": told.held_out,
    }
    kept = plan.model_copy(update=spelt)
    chosen = told.asked
    chains = [at for at, content in enumerate(told.contents) if isinstance(content, Chain)]
    recorded = seeds_as_recorded(tx, plan)
    seeds = {
        (at, repeat): recorded[number, repeat]
        for at, number in enumerate(numbers)
        for repeat in range(plan.repeats)
        if (number, repeat) in recorded
    }
    cells_ = cells_of(plan, len(chosen), chains, seeds)
    besides = (*told.judges, *told.people, *told.speakers)
    judges = {model.name: entries.keep(tx, model) for model in besides}
    made = trials.insert(tx, subject, kept, told.measures, arms, chosen, cells_, judges)
    return trials.get(tx, made)


def stop(tx: Transaction, trial_id: int) -> Trial:
    """No new call is started, and none tried again; those in flight have a moment to land, and are
    recorded if they do. Raises Conflict if it is over."""
    changed = trials.end(tx, trial_id, "stopped")
    trial = trials.get(tx, trial_id)
    if not changed:
        raise Conflict(f"T{trial_id} is {trial.status} already.", field="trial")
    return trial


def go_on(tx: Transaction, trial_id: int) -> Trial:
    """Let a stopped or failed trial make its remaining calls, of its models as they were. Raises
    Conflict if it is neither, and InvalidInput if one is gone of which nothing was kept."""
    check_models(tx, trial_id)
    changed = trials.reopen(tx, trial_id)
    trial = trials.get(tx, trial_id)
    if not changed:
        raise Conflict(
            f"T{trial_id} is {trial.status}; only a stopped or failed trial can go on.",
            field="trial",
        )
    cells.try_now(tx, trial_id)
    return trial


def ask_again(tx: Transaction, trial_id: int) -> Trial:
    """Let the calls that got no answer be made anew; what is answered stays.

    Raises Conflict while the trial is going on, or without any such call, and InvalidInput as `go_on`.
    """
    trial = trials.get(tx, trial_id)
    if not trial.over:
        raise Conflict(
            f"T{trial_id} is {trial.status}. Stop it, or wait for its end.", field="trial"
        )
    if trial.answers_of is not None:
        raise Conflict(
            f"T{trial_id} judges the answers of T{trial.answers_of}: ask there again, and judge it anew.",
            field="trial",
        )
    if trial.unanswered == 0:
        raise Conflict(f"Every call of T{trial_id} that was made got its answer.", field="trial")
    check_models(tx, trial_id)
    trials.forget_unanswered(tx, trial_id)
    cells.try_now(tx, trial_id)
    return trials.get(tx, trial_id)


def try_now(tx: Transaction, trial_id: int) -> Trial:
    """Ask paused arms at once, without waiting. Raises Conflict if none is paused."""
    trial = trials.get(tx, trial_id)
    if trial.over or not cells.try_now(tx, trial_id):
        raise Conflict(f"No arm of T{trial_id} is paused.", field="trial")
    return trial


def planned_judges(checks: Sequence[CheckUse], judges: Sequence[Model]) -> list[PlannedJudge]:
    """What is known of the judges among these checks before they are asked."""
    known = {model.name: model for model in judges}
    found = []
    for use, options in zip(checks, options_of(checks), strict=True):
        cls = check_class(use.check)
        if issubclass(cls, Judge):
            criterion, model = cls.criterion_of(options), known[cls.judge_of(options)]
            words = tokens.count(instructions(criterion))
            whole = bool({"task", "source", "talk"} & set(criterion.shown))
            asked = cls.asked_for_each(options)
            found.append(PlannedJudge(asked, words, whole, model.input_cents, model.output_cents))
    return found


def with_steady(plan: TrialPlan, checks: Sequence[CheckUse]) -> list[CheckUse]:
    """A trial that asks variations has the check of them."""
    if not plan.steadiness or any(use.check == STEADY for use in checks):
        return list(checks)
    return [*checks, CheckUse(check=STEADY)]


def people_of(cases_: Sequence[Case], known: Sequence[Model]) -> list[Model]:
    """The models that play people in these cases. Raises InvalidInput for one that is not in the list."""
    personas = [case.person.persona for case in cases_ if case.person and case.person.persona]
    listed = {model.name: model for model in known}
    found = {}
    for persona in personas:
        if persona.model not in listed:
            raise InvalidInput(
                f"“{persona.model}” plays a person, but is not in the list of models. Add it, or choose "
                "another in the case.",
                field="cases",
            )
        found[persona.model] = listed[persona.model]
    return list(found.values())


def check_models(tx: Transaction, trial_id: int) -> None:
    """Raises InvalidInput for an arm of whose model nothing was kept, and that is gone from the list."""
    missing = [arm for arm in trials.arms_of(tx, trial_id) if arm.entry is None]
    known = models.all_of(tx) if missing else []
    for arm in missing:
        models.pick(known, arm.model)


def _spelt_out(tx: Transaction, subject: Subject, plan: TrialPlan) -> _SpeltOut:
    """Raises InvalidInput, naming the field of what can't be had or carried out."""
    among = in_sets(tx, subject, plan.sets) if plan.sets else None
    chosen = cases.chosen(tx, subject, plan.cases, tags=plan.tags, among=among, like=plan.like)
    if plan.alone and subject.kind != "chain":
        raise InvalidInput("Only a chain has steps that could be tried alone.", field="alone")
    if subject.kind == "chain":  # a case of one step has not what the whole is given
        chosen = [each for each in chosen if each.content.step == plan.alone]
    check_plan(plan, len(chosen))
    check_as_recorded(tx, subject, plan)
    known = models.all_of(tx)
    saved, contents, steps, asked = [], [], [], []
    for position, arm in enumerate(plan.arms):
        at = f"arms.{position}"
        try:
            of = subjects.get(tx, arm.subject) if arm.subject else subject
            saved.append(versions.get(tx, of, arm.version))
        except NotFound as error:
            raise InvalidInput(error.message, field=f"{at}.version") from error
        content, step, model = _asked_by(tx, arm, saved[-1].content, at)
        contents.append(content)
        steps.append(step)
        asked.append(models.pick(known, model, field=f"{at}.model"))
    checks = subject.checks_for(contents[0].reply) if plan.checks is None else plan.checks
    checks = with_steady(plan, checks)
    check_uses(checks)
    checks = numbered(checks)
    kinds = list(dict.fromkeys(plan.steadiness))
    told = [(each.number, each.content) for each in chosen]
    varied = list(all_varied(told, kinds, contents[0].inputs))
    check_plan(plan, len(chosen) + len(varied))
    measures = measures_of(checks, *(content.reply for content in contents))
    check_question(plan, [measure.key for measure in measures])
    before = renames.all_of(tx, subject)
    aliases = [todays_names(inputs_asked(content), before) for content in contents]
    judging = dict.fromkeys(measure.judge for measure in measures if measure.judge)
    check_judges(judging, known)
    judges = [models.pick(known, name) for name in judging]
    people = people_of([each.content for each in chosen], known)
    look_ups = [
        look_ups_of(tx, arm, content, at)
        for at, (arm, content) in enumerate(zip(plan.arms, contents, strict=True))
    ]
    contents = [
        _with_look_ups(content, looks, plan.alone, f"arms.{at}.step")
        for at, (content, looks) in enumerate(zip(contents, look_ups, strict=True))
    ]
    chains = [content for content in contents if isinstance(content, Chain)]
    names = dict.fromkeys(name for chain in chains for name in models_of(chain))
    speakers = [models.pick(known, name) for name in names]
    return _SpeltOut(
        saved, contents, steps, asked, chosen, varied, checks, measures, aliases, judges, people,
        look_ups, speakers,
    )  # fmt: skip


def _with_look_ups(
    content: Content, looks: dict[str, LookingUp], alone: str, field: str
) -> Content:
    try:
        return content_of_arm(content, looks, None, alone)
    except InvalidInput as error:
        raise InvalidInput(error.message, field=field) from error


def _asked_by(
    tx: Transaction, arm: ArmPlan, content: Content, at: str
) -> tuple[Content, VariedStep | None, str]:
    """What the arm asks, what it has otherwise at a step, and the model that it is called by. Raises InvalidInput."""
    prompt = pinned.version_of(tx, arm.prompt) if arm.prompt else None
    if arm.prompt and not isinstance(prompt, Prompt):
        raise InvalidInput(f"There is no prompt {arm.prompt} here.", field=f"{at}.prompt")
    try:
        step = step_of_arm(arm, content, prompt if isinstance(prompt, Prompt) else None)
        told = content_of_arm(content, {}, step)
    except InvalidInput as error:
        raise InvalidInput(error.message, field=f"{at}.{error.field}") from error
    if not isinstance(told, Chain):
        return told, step, arm.model
    if gone := pinned.missing(tx, told):
        raise InvalidInput(f"Step {gone[0][0]} names {gone[0][1]}, which is not here.", field=at)
    return told, step, main_model(content, step) if isinstance(content, Chain) else arm.model
