"""Trials: plan, watch, stop, and read what was answered."""

from __future__ import annotations

from typing import Any, Literal

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.cases.content import Case, title_of
from epistem.core.checks.registry import CheckUse
from epistem.core.prompts.settings import Settings
from epistem.core.trials.names import arm_names
from epistem.core.trials.plan import IN_FLIGHT, MainQuestion, TrialPlan
from epistem.core.trials.showing import Showing
from epistem.store import readings, subjects, trials
from epistem.store.database import Transaction
from epistem.store.evidence import outlook_of
from epistem.web.findings import FindingShape, finding_shape
from epistem.web.problems import Problem
from epistem.web.replies import Moment, Shape, SubjectPath, blueprint, database, reply
from epistem.web.subjects import Measure

bp = blueprint("trials")


class TrialLine(Shape):
    """`recorded` of `total` calls are recorded; `unanswered` of those got no answer."""

    id: int
    subject: str
    status: str
    total: int
    recorded: int
    unanswered: int
    failure: str = Field("", description="Why it failed, if its status is `failed`.")
    repeats: int
    created_at: Moment
    started_at: Moment | None
    finished_at: Moment | None
    cents: float


class ArmShape(Shape):
    position: int
    name: str
    version: int
    model: str
    settings: Settings


class TrialCaseShape(Shape):
    position: int
    number: int
    title: str
    content: Case


class TickShape(Shape):
    """One mark. `judged` and `failed` have bit k set when measure k has a finding, and when that
    failed; no answer is a hollow dot."""

    id: int
    arm: int
    case_at: int
    repeat_no: int
    answered: bool
    judged: int
    failed: int


class TrialPage(TrialLine):
    """Everything a matrix needs; ticks that land later come from the trial's events."""

    arms: list[ArmShape]
    cases: list[TrialCaseShape]
    checks: list[CheckUse]
    measures: list[Measure]
    question: MainQuestion | None
    seed: int
    ticks: list[TickShape]


class TrialList(Shape):
    trials: list[TrialLine]


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
    """What a trial will take. `seconds` is null while nothing is known of a model's speed. Answers are
    as long as past ones where `from_past`, else by a guess. `too_long` and `unfit` count requests that
    the window has no room for, and that the cases' inputs can't make."""

    calls: int
    input_tokens: int
    output_tokens: int
    cents: float
    seconds: float | None
    from_past: bool
    too_long: int
    unfit: int
    showing: ShowingShape


class TrialPath(BaseModel):
    trial_id: int = Field(ge=1, description="The number in T12.")


class ReadingPath(BaseModel):
    reading_id: int = Field(ge=1)


class CellQuery(BaseModel):
    arm: int = Field(ge=0)
    case_at: int = Field(ge=0, description="The case's position in the trial.")


class ReadingShape(Shape):
    """`request` is the body as it was posted, `reply` the body as it came back."""

    id: int
    trial_id: int
    arm: int
    case_at: int
    repeat_no: int
    request: dict[str, Any]
    reply: str | None
    answer: str | None
    finish_reason: str | None
    input_tokens: int
    output_tokens: int
    cents: float
    attempts: int
    started_at: Moment
    total_ms: float
    error: str | None
    findings: list[FindingShape]


class ReadingList(Shape):
    readings: list[ReadingShape]


def line_of(tx: Transaction, trial: trials.Trial) -> TrialLine:
    cents = readings.cost_so_far(tx, trial.id)
    return TrialLine.model_validate({**_facts(trial), "cents": cents})


def tick_shapes(ticks: list[readings.Tick]) -> list[TickShape]:
    return [
        TickShape(
            id=tick.reading_id,
            arm=tick.arm,
            case_at=tick.case_at,
            repeat_no=tick.repeat_no,
            answered=tick.answered,
            judged=tick.judged,
            failed=tick.failed,
        )
        for tick in ticks
    ]


def _facts(trial: trials.Trial) -> dict[str, Any]:
    names = set(TrialLine.model_fields) - {"repeats", "cents"}
    return {name: getattr(trial, name) for name in names} | {"repeats": trial.plan.repeats}


def _page(tx: Transaction, trial: trials.Trial) -> TrialPage:
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
            )
            for a, name in zip(arms, arm_names(arms), strict=True)
        ],
        cases=[
            TrialCaseShape(
                position=c.position, number=c.number, title=title_of(c.content), content=c.content
            )
            for c in trials.cases_of(tx, trial.id)
        ],
        checks=trial.checks,
        measures=[Measure.model_validate(m) for m in trial.measures],
        question=trial.plan.question,
        seed=trial.plan.seed,
        ticks=tick_shapes(readings.ticks(tx, trial.id, most=200_000)),
    )


@bp.get(
    "/subjects/<name>/trials", responses={200: TrialList}, operation_id="listTrials",
    summary="Trials of a subject, newest first",
)  # fmt: skip
def list_trials(path: SubjectPath) -> Response:
    with database().transaction() as tx:
        found = trials.all_of(tx, subjects.get(tx, path.name))
        return reply(TrialList(trials=[line_of(tx, trial) for trial in found]))


@bp.post(
    "/subjects/<name>/trials", responses={201: TrialPage}, operation_id="startTrial",
    summary="Start a trial",
)  # fmt: skip
def start_trial(path: SubjectPath, body: TrialPlan) -> Response:
    """Its cells are written down before any call is made; the runner takes it from there."""
    with database().transaction() as tx:
        trial = trials.create(tx, subjects.get(tx, path.name), body)
        return reply(_page(tx, trial), 201)


@bp.post(
    "/subjects/<name>/trials/estimate", responses={200: EstimateShape}, operation_id="estimateTrial",
    summary="What a trial will take, before it starts",
)  # fmt: skip
def estimate_trial(path: SubjectPath, body: TrialPlan) -> Response:
    with database().transaction() as tx:
        subject = subjects.get(tx, path.name)
        found, outlook = trials.estimate_of(tx, subject, body, IN_FLIGHT)
        showing = outlook_of(tx, subject, body, outlook)
    return reply(EstimateShape(**found._asdict(), showing=_showing(showing)))


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
    with database().transaction() as tx:
        return reply(_page(tx, trials.get(tx, path.trial_id)))


@bp.post(
    "/trials/<int:trial_id>/stop", responses={200: TrialLine, 409: Problem}, operation_id="stopTrial",
    summary="Stop, and keep what is there",
)  # fmt: skip
def stop_trial(path: TrialPath) -> Response:
    with database().transaction() as tx:
        return reply(line_of(tx, trials.stop(tx, path.trial_id)))


@bp.post(
    "/trials/<int:trial_id>/go-on", responses={200: TrialLine, 409: Problem}, operation_id="goOnTrial",
    summary="Make the calls that a stop left out",
)  # fmt: skip
def go_on_trial(path: TrialPath) -> Response:
    with database().transaction() as tx:
        return reply(line_of(tx, trials.go_on(tx, path.trial_id)))


@bp.post(
    "/trials/<int:trial_id>/ask-again", responses={200: TrialLine, 409: Problem},
    operation_id="askAgain", summary="Make the calls anew that got no answer",
)  # fmt: skip
def ask_again(path: TrialPath) -> Response:
    """Their readings make room for the new ones; what is answered stays as it is."""
    with database().transaction() as tx:
        return reply(line_of(tx, trials.ask_again(tx, path.trial_id)))


@bp.get(
    "/trials/<int:trial_id>/readings", responses={200: ReadingList}, operation_id="listReadings",
    summary="The repeats of one arm on one case",
)  # fmt: skip
def list_readings(path: TrialPath, query: CellQuery) -> Response:
    with database().transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        found = readings.at(tx, trial.id, query.arm, query.case_at)
    return reply(ReadingList(readings=[_reading(trial, reading) for reading in found]))


@bp.get(
    "/readings/<int:reading_id>", responses={200: ReadingShape}, operation_id="getReading",
    summary="One reading, with its exact request",
)  # fmt: skip
def get_reading(path: ReadingPath) -> Response:
    with database().transaction() as tx:
        reading = readings.get(tx, path.reading_id)
        trial = trials.get(tx, reading.trial_id)
    return reply(_reading(trial, reading))


def _reading(trial: trials.Trial, reading: readings.Reading) -> ReadingShape:
    findings = [
        finding_shape(trial.measures[judged.measure], judged.finding) for judged in reading.findings
    ]
    return ReadingShape.model_validate({**vars(reading), "findings": findings})
