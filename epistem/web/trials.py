"""Trials: plan, watch, stop, and read what was answered."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, Literal

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.cases.pair import Variation
from epistem.core.chains.askings import models_of
from epistem.core.chains.content import Chain
from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.settings import Settings
from epistem.core.trials.names import arm_names, compared
from epistem.core.trials.plan import IN_FLIGHT, LookUpChange, MainQuestion, TrialPlan
from epistem.core.trials.showing import Showing
from epistem.store import looks, subjects, trial_cases, trials
from epistem.store.database import Transaction
from epistem.web.pages import fitting
from epistem.web.problems import Problem
from epistem.web.replies import (
    Moment,
    Shape,
    SubjectPath,
    blueprint,
    reply,
    transaction,
)
from epistem.web.subjects import Measure
from epistem.web.trial_shapes import LookShape, TrialPath
from epistem.work import trials as work
from epistem.work.by_model import steady_arms
from epistem.work.evidence import outlook_of
from epistem.work.stopping import until_all_have_seen

bp = blueprint("trials")

LISTED = 50


class PausedShape(Shape):
    """`until` is when it is tried again, `times` in a row that it was paused."""

    arm: int
    why: str
    until: Moment
    times: int


class TrialLine(Shape):
    """`recorded` of `total` readings are recorded; `unanswered` of those got no answer. `landed` goes up
    with every answer, also where one takes another's place. Money is that of all calls so far;
    `estimated` of them did not tell their tokens. `told_at` is the server's time."""

    id: int
    subject: str
    status: str
    total: int
    recorded: int
    landed: int
    unanswered: int
    failure: str = Field("", description="Why it failed, if its status is `failed`.")
    compared: str = Field(description="What it compares, in a few words.")
    repeats: int
    alone: str = Field(description="Of a chain: the one step that is tried, on its own cases.")
    as_recorded: int | None = Field(
        description="The trial by whose record the same requests of steps are answered."
    )
    created_at: Moment
    started_at: Moment | None
    finished_at: Moment | None
    started_by: str
    changed_by: str = Field(description="Who stopped it last, or let it go on.")
    calls: int
    cents: float
    estimated: int
    told_at: Moment
    paused: list[PausedShape] = Field(description="Arms whose model is not asked for a while.")
    answers_of: int | None = Field(
        description="The trial whose recorded answers it judges anew; null where it asks for its own."
    )


class ArmShape(Shape):
    position: int
    name: str
    version: int
    model: str
    settings: Settings
    look_up: LookUpChange | None = Field(
        None, description="What it looks up otherwise than its version says."
    )
    subject: str = Field("", description="Whose version it is, where it is another subject's.")
    step: str = Field("", description="Of a chain: the step that is varied.")
    prompt: str = Field("", description="The version of a prompt that this step has instead.")
    is_chain: bool = False
    models: list[str] = Field(description="All that it asks, each once.")


class TrialPage(TrialLine):
    """What a trial is made of. Its cases and ticks are asked for in pages. `numbers` are those of its
    cases in order, as runs: [first, last] each. `took_all`: every case that is kept, but for those
    that came later."""

    arms: list[ArmShape]
    cases: int
    asked: int = Field(description="Its cases with their variations, which stand behind them.")
    steadiness: list[Variation]
    held_out: list[list[int]] = Field(
        description="Places of the cases that are held out, as runs: [first, last] each."
    )
    looks: list[LookShape] = Field(description="The latest looks at them, newest first.")
    took_all: bool
    numbers: list[list[int]]
    checks: list[CheckUse]
    measures: list[Measure]
    question: MainQuestion | None
    seed: int
    judged_anew: list[int] = Field(
        description="The latest trials that judge its answers anew, newest first."
    )


class TrialList(Shape):
    """Newest first. `more`: there are older ones, before the last of these."""

    trials: list[TrialLine]
    more: bool


class Before(BaseModel):
    before: int | None = Field(None, ge=1, description="Only trials older than this one.")
    find: str = Field(
        "",
        max_length=200,
        description="Words that stand in its number, status, versions or models.",
    )


class ShownShape(Shape):
    """`points` are the smallest true difference that would be called four times in five; null where
    these cases can't show any. `spread_of`: the past readings' own spread (`past`), the one to expect
    of a past pass rate (`rate`), or of a check that passes in 80% (`guess`). `same_needs` cases are
    the fewest for “same”; null for never."""

    key: str
    title: str
    margin: float
    main: bool
    cases: int
    points: float | None
    spread_of: Literal["past", "rate", "guess"]
    same_needs: int | None


class CurveShape(Shape):
    """`points[i]` go with `curve_cases[i]` cases."""

    repeats: int
    points: list[float | None]


class ShowingShape(Shape):
    """What the trial can show. `curve_of` is an index of `shown`; nothing is shown for one arm."""

    shown: list[ShownShape]
    curve_of: int | None
    curve_cases: list[int]
    curves: list[CurveShape]


class EstimateShape(Shape):
    """What a trial will take. `unlabelled` of its cases expect no label. `seconds` is null while nothing
    is known of a model's speed. Answers are as long as past ones where `from_past`, else by a guess.
    `too_long` and `unfit` count requests that the window has no room for, and that the cases' inputs
    can't make. `steady` are arms at temperature 0 of whose model past repeats were all alike."""

    cases: int
    varied: int = Field(description="Variations of them that are asked beside.")
    held_out: int = Field(description="Of all these, those whose results stay out of sight.")
    unlabelled: int
    calls: int
    input_tokens: int
    output_tokens: int
    cents: float
    seconds: float | None
    from_past: bool
    too_long: int
    unfit: int
    judge_calls: int = Field(description="Calls of models that judge, besides those of the arms.")
    judge_tokens: int
    judge_cents: float
    person_calls: int = Field(description="Calls of models that play people in talks.")
    person_cents: float
    steady: list[int]
    showing: ShowingShape


def line_of(tx: Transaction, trial: trials.Trial) -> TrialLine:
    paused = [] if trial.over else trials.paused_of(tx, trial.id)
    more = {
        "paused": [PausedShape.model_validate(each) for each in paused],
        "compared": compared(trials.asked_by(tx, trial.id), trial.answers_of, trial.plan.alone),
    }
    return TrialLine.model_validate({**_facts(trial), **more})


def _facts(trial: trials.Trial) -> dict[str, Any]:
    names = set(TrialLine.model_fields) - {
        "repeats",
        "alone",
        "as_recorded",
        "paused",
        "told_at",
        "compared",
    }
    more = {
        "repeats": trial.plan.repeats,
        "alone": trial.plan.alone,
        "as_recorded": trial.plan.as_recorded,
        "told_at": datetime.now(UTC),
    }
    return {name: getattr(trial, name) for name in names} | more


def page_of(tx: Transaction, trial: trials.Trial) -> TrialPage:
    arms = trials.arms_of(tx, trial.id)
    return TrialPage(
        **line_of(tx, trial).model_dump(),
        arms=[
            ArmShape(
                position=a.position,
                name=name,
                version=a.version,
                model=a.model,
                settings=a.settings,
                look_up=trial.plan.arms[a.position].look_up,
                subject=a.of,
                step=a.step.step if a.step else "",
                prompt=a.step.kept if a.step else "",
                is_chain=a.is_chain,
                models=models_of(a.content) if isinstance(a.content, Chain) else [a.model],
            )
            for a, name in zip(arms, arm_names(arms), strict=True)
        ],
        cases=trial.cases,
        asked=trial.asked,
        steadiness=trial.plan.steadiness,
        held_out=_runs(trial.plan.held_out),
        looks=[LookShape.model_validate(each) for each in looks.of(tx, trial.id)],
        took_all=trial_cases.took_all(tx, trial.id, trial.plan.cases or [], trial.plan.alone),
        numbers=_runs(trial.plan.cases or []),
        checks=trial.checks,
        measures=[Measure.model_validate(m) for m in trial.measures],
        question=trial.plan.question,
        seed=trial.plan.seed,
        judged_anew=trials.judging_anew(tx, trial.id),
    )


def _runs(numbers: list[int]) -> list[list[int]]:
    """1, 2, 3, 7 as [1, 3], [7, 7]."""
    runs: list[list[int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return runs


@bp.get(
    "/subjects/<name>/trials", responses={200: TrialList}, operation_id="listTrials",
    summary="Trials of a subject, newest first",
)  # fmt: skip
def list_trials(path: SubjectPath, query: Before) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        found = trials.all_of(
            tx, subject, before=query.before, find=query.find.split(), most=LISTED + 1
        )
        lines = [line_of(tx, trial) for trial in found]
    shown, more = fitting(lines, LISTED)
    return reply(TrialList(trials=shown, more=more))


@bp.post(
    "/subjects/<name>/trials", responses={201: TrialPage}, operation_id="startTrial",
    summary="Start a trial",
)  # fmt: skip
def start_trial(path: SubjectPath, body: TrialPlan) -> Response:
    """Its cells are written down before any call is made; the runner takes it from there."""
    with transaction() as tx:
        trial = work.start(tx, subjects.get(tx, path.name), body)
        return reply(page_of(tx, trial), 201)


@bp.post(
    "/subjects/<name>/trials/estimate", responses={200: EstimateShape}, operation_id="estimateTrial",
    summary="What a trial will take, before it starts",
)  # fmt: skip
def estimate_trial(path: SubjectPath, body: TrialPlan) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        found, outlook = work.estimate_of(tx, subject, body, IN_FLIGHT)
        showing = outlook_of(tx, subject, body, outlook)
        steady = steady_arms(tx, subject, outlook, body.repeats)
    told = {**found._asdict(), "cases": outlook.cases, "varied": outlook.varied}
    told["held_out"] = outlook.held_out
    told["unlabelled"] = outlook.unlabelled
    told["steady"] = steady
    return reply(EstimateShape(**told, showing=_showing(showing)))


def _showing(found: Showing) -> ShowingShape:
    return ShowingShape(
        shown=[
            ShownShape(
                key=each.measure.key,
                title=each.measure.title,
                margin=each.measure.margin,
                main=each.main,
                cases=each.cases,
                points=each.points,
                spread_of=each.spread.of,
                same_needs=each.same_needs,
            )
            for each in found.shown
        ],
        curve_of=found.curve_of,
        curve_cases=found.curve_cases,
        curves=[CurveShape.model_validate(curve) for curve in found.curves],
    )


@bp.get(
    "/trials/<int:trial_id>",
    responses={200: TrialPage},
    operation_id="getTrial",
    summary="One trial",
)
def get_trial(path: TrialPath) -> Response:
    with transaction() as tx:
        return reply(page_of(tx, trials.get(tx, path.trial_id)))


@bp.post(
    "/trials/<int:trial_id>/stop", responses={200: TrialLine, 409: Problem}, operation_id="stopTrial",
    summary="Stop, and keep what is there",
)  # fmt: skip
def stop_trial(path: TrialPath) -> Response:
    """Once it is answered no call goes out any more; those that are out may still land."""
    with transaction() as tx:
        work.stop(tx, path.trial_id)
    until_all_have_seen()
    with transaction() as tx:
        return reply(line_of(tx, trials.get(tx, path.trial_id)))


@bp.post(
    "/trials/<int:trial_id>/go-on", responses={200: TrialLine, 409: Problem}, operation_id="goOnTrial",
    summary="Make the calls that a stop left out",
)  # fmt: skip
def go_on_trial(path: TrialPath) -> Response:
    with transaction() as tx:
        return reply(line_of(tx, work.go_on(tx, path.trial_id)))


@bp.post(
    "/trials/<int:trial_id>/ask-again", responses={200: TrialLine, 409: Problem},
    operation_id="askAgain", summary="Make the calls anew that got no answer",
)  # fmt: skip
def ask_again(path: TrialPath) -> Response:
    """Their readings make room for the new ones; what is answered stays as it is."""
    with transaction() as tx:
        return reply(line_of(tx, work.ask_again(tx, path.trial_id)))


@bp.post(
    "/trials/<int:trial_id>/try-now", responses={200: TrialLine, 409: Problem}, operation_id="tryNow",
    summary="Ask the models of paused arms at once",
)  # fmt: skip
def try_now(path: TrialPath) -> Response:
    with transaction() as tx:
        return reply(line_of(tx, work.try_now(tx, path.trial_id)))
