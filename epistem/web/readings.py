"""What was recorded of a trial: its ticks, its cases as they were, and its readings."""

from __future__ import annotations

import json
from typing import Any, Literal

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.cases.content import Case, title_of
from epistem.core.checks.base import Answer
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.trials.marks import verdict_texts
from epistem.store import looks, marks, readings, trial_cases, trials
from epistem.store.calls import Call
from epistem.store.database import Transaction
from epistem.web.findings import FindingShape, finding_shape
from epistem.web.found import FoundShape, found_shape
from epistem.web.replies import (
    Moment,
    Shape,
    blueprint,
    reply,
    transaction,
)
from epistem.web.trial_shapes import ByLook, TrialPath
from epistem.web.try_shapes import ToolUse
from epistem.work.calls import BLAME, TOOL, tool_result
from epistem.work.talks import talks_of

bp = blueprint("readings")

MOST_BYTES = 150_000
"""About how long a page of ticks is at most."""
MOST_AT = 100
MOST_SHOWN = 20_000
"""Characters of the passages that were looked up for one input."""
MOST_TURN = 4_000
"""Characters of an earlier turn that are shown."""
MOST_USES, MOST_TOLD = 40, 1_500
"""Calls of tools that are shown with a reading, and characters of each."""


class Ticks(Shape):
    """Marks of readings, as columns: `marks` has a digit for each measure (0 nothing found, 1 failed,
    2 passed), and is empty where no answer came. `last` is the landing number of the last of them."""

    last: int
    more: bool
    arm: list[int]
    case_at: list[int]
    repeat_no: list[int]
    marks: list[str]


class CaseLine(Shape):
    position: int
    number: int
    title: str
    expects: str | None
    pair: str = Field(description="For one that is paired: how it differs from its original.")


class CaseLines(Shape):
    cases: list[CaseLine]


class TrialCaseShape(CaseLine):
    """`original` is the position of the case that it is paired with, where that is asked, too."""

    content: Case
    original: int | None


class CallShape(Shape):
    """One exchange with a model, or a call of a tool. `path` is its place: the turn, and the round within it.
    `request` is the body as it was posted, or what the tool was called with; `reply` what came back."""

    path: str
    purpose: str
    model: str | None
    request: str
    reply: str | None
    streamed: bool
    input_tokens: int
    output_tokens: int
    estimated: bool
    cents: float
    attempts: int
    started_at: Moment
    total_ms: float
    error: str | None


class TurnShape(Shape):
    role: Literal["user", "assistant"]
    text: str


class ReadingLine(Shape):
    """Tokens, cost and time are those of all its `calls` together, and estimates where a server did
    not tell."""

    id: int
    trial_id: int
    arm: int
    case_at: int
    repeat_no: int
    answer: str | None
    finish_reason: str | None
    input_tokens: int
    output_tokens: int
    estimated: bool
    cents: float
    attempts: int
    total_ms: float
    error: str | None
    findings: list[FindingShape]
    calls: int
    talk: list[TurnShape] = Field(
        description="Of a talk what was said before the answer: answers and what the person said, in turn."
    )
    ended: str = Field(description="How the talk ended; empty for what is none.")
    found: list[FoundShape] = Field(description="What was looked up for its requests, by turn.")
    tool_uses: list[ToolUse] = Field(description="The tools that it called, in order.")


class ReadingShape(Shape):
    """`calls` are all that were made for it, in order, with what was sent and what came back."""

    reading: ReadingLine
    calls: list[CallShape]


class ReadingList(Shape):
    readings: list[ReadingLine]


class ReadingPath(BaseModel):
    reading_id: int = Field(ge=1)


class CasePath(TrialPath):
    position: int = Field(ge=0)


class CellQuery(ByLook):
    arm: int = Field(ge=0)
    case_at: int = Field(ge=0, description="The case's position in the trial.")


class AfterQuery(ByLook):
    after: int = Field(0, ge=0, lt=10**9, description="The last landing number that was seen.")


class AtQuery(BaseModel):
    at: str = Field(
        pattern=r"^[0-9]{1,7}(,[0-9]{1,7})*$",
        max_length=900,
        description=f"Positions of up to {MOST_AT} cases, with commas between.",
    )


def ticks_of(tx: Transaction, trial: trials.Trial, after: int, *, looking: bool = False) -> Ticks:
    """Those in sight that landed after that number, as many as are good to send at once."""
    measures = len(trial.measures)
    most = max(MOST_BYTES // (measures + 18), 100)
    sight = trial.sight(looking=looking)
    found = marks.after(tx, trial.id, trial.columns, sight, after, most)
    return Ticks(
        last=max(after, min(after + most, trial.landed)),
        more=after + most < trial.landed,
        arm=found.arm.tolist(),
        case_at=found.case.tolist(),
        repeat_no=found.repeat.tolist(),
        marks=verdict_texts(found, measures),
    )


@bp.get(
    "/trials/<int:trial_id>/ticks", responses={200: Ticks}, operation_id="listTicks",
    summary="Marks of readings in the order in which they landed, a page at a time",
)  # fmt: skip
def list_ticks(path: TrialPath, query: AfterQuery) -> Response:
    with transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        looking = looks.looking(tx, trial.id, query.look)
        return reply(ticks_of(tx, trial, query.after, looking=looking))


@bp.get(
    "/trials/<int:trial_id>/cases", responses={200: CaseLines}, operation_id="listTrialCases",
    summary="Some of a trial's cases, a line each, as they were when it was made",
)  # fmt: skip
def list_trial_cases(path: TrialPath, query: AtQuery) -> Response:
    wanted = {int(position) for position in query.at.split(",")}
    if len(wanted) > MOST_AT:
        raise InvalidInput(f"Ask for {MOST_AT} cases at most at a time.", field="at")
    with transaction() as tx:
        trials.status_of(tx, path.trial_id)
        found = trial_cases.cases_of(tx, path.trial_id, wanted)
    return reply(CaseLines(cases=[CaseLine(**_line(each)) for each in found]))


@bp.get(
    "/trials/<int:trial_id>/cases/<int:position>", responses={200: TrialCaseShape},
    operation_id="getTrialCase", summary="One of a trial's cases, as it was when the trial was made",
)  # fmt: skip
def get_trial_case(path: CasePath) -> Response:
    with transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        found = trial_cases.cases_of(tx, trial.id, {path.position})
        if not found:
            raise NotFound(f"T{path.trial_id} has no case at {path.position}.", field="position")
        original = None
        if found[0].content.pair is not None:
            paired = trial_cases.originals_of(tx, trial.id, trial.cases, path.position)
            original = paired.get(path.position)
    return reply(TrialCaseShape(**_line(found[0]), content=found[0].content, original=original))


@bp.get(
    "/trials/<int:trial_id>/readings", responses={200: ReadingList}, operation_id="listReadings",
    summary="The repeats of one arm on one case",
)  # fmt: skip
def list_readings(path: TrialPath, query: CellQuery) -> Response:
    with transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        check_in_sight(tx, trial, query.case_at, query.look)
        found = readings.at(tx, trial.id, query.arm, query.case_at)
        talks = talks_of(tx, trial, found)
    return reply(
        ReadingList(readings=[_reading(trial, each, talks.get(each.id)) for each in found])
    )


@bp.get(
    "/readings/<int:reading_id>", responses={200: ReadingShape}, operation_id="getReading",
    summary="One reading, with its exact requests",
)  # fmt: skip
def get_reading(path: ReadingPath, query: ByLook) -> Response:
    with transaction() as tx:
        reading = readings.get(tx, path.reading_id)
        trial = trials.get(tx, reading.trial_id)
        check_in_sight(tx, trial, reading.case_at, query.look)
        talk = talks_of(tx, trial, [reading]).get(reading.id)
    calls = [call_shape(each) for each in reading.calls]
    return reply(ReadingShape(reading=_reading(trial, reading, talk), calls=calls))


def check_in_sight(tx: Transaction, trial: trials.Trial, case_at: int, look: int | None) -> None:
    if case_at in trial.plan.held_out and not looks.looking(tx, trial.id, look):
        raise Conflict(
            "This case is held out: its results are out of sight until one looks, in the verdict.",
            field="look",
        )


def _line(case: trial_cases.TrialCase) -> dict[str, Any]:
    return {
        "position": case.position,
        "number": case.number,
        "title": title_of(case.content),
        "expects": case.content.expect.label,
        "pair": case.content.pair.kind if case.content.pair else "",
    }


def _reading(trial: trials.Trial, reading: readings.Reading, talk: Answer | None) -> ReadingLine:
    names = set(ReadingLine.model_fields) - {
        "findings",
        "calls",
        "talk",
        "ended",
        "found",
        "tool_uses",
    }
    return ReadingLine(
        **{name: getattr(reading, name) for name in names},
        findings=[finding_shape(trial.measures[f.measure], f.finding) for f in reading.findings],
        calls=sum(call.purpose not in (TOOL, BLAME) for call in reading.calls),
        talk=[TurnShape(role=t.role, text=t.text[:MOST_TURN]) for t in talk.before] if talk else [],
        ended=talk.ended if talk else "",
        found=[found_shape(each.found, each.turn, MOST_SHOWN) for each in reading.found],
        tool_uses=[_tool_use(call) for call in reading.calls if call.purpose == TOOL][:MOST_USES],
    )


def _tool_use(call: Call) -> ToolUse:
    asked, came = json.loads(call.request), tool_result(call.reply or b"{}")
    told = (str(asked["tool"]), str(asked["arguments"]), came.answer)
    name, arguments, answer = (each[:MOST_TOLD] for each in told)
    return ToolUse(name=name, arguments=arguments, answer=answer, fault=came.fault)


def call_shape(call: Call) -> CallShape:
    names = set(CallShape.model_fields) - {"model", "request", "reply"}
    return CallShape(
        **{name: getattr(call, name) for name in names},
        model=call.model.name if call.model else None,
        request=call.request.decode("utf-8", "replace"),
        reply=None if call.reply is None else call.reply.decode("utf-8", "replace"),
    )
