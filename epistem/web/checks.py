"""The library of checks, and a bench where they are tried on answers that are there."""

from __future__ import annotations

from typing import Any

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.checks.registry import CHECKS, CheckUse, check_class
from epistem.store import subjects, trials
from epistem.web.findings import FindingShape, SpanShape, finding_shape
from epistem.web.replies import Shape, SubjectPath, blueprint, reply, transaction
from epistem.web.subjects import Measure
from epistem.web.trials import TrialPath
from epistem.work.checking import on_the_bench
from epistem.work.rejudging import rejudge

bp = blueprint("checks")

MOST_TEXT = 200_000
MOST_TRIES = 20


class CheckExample(Shape):
    """An answer that a check lets through or objects to, under these options."""

    text: str
    options: dict[str, Any]


class CheckKind(Shape):
    """A check there is. `summary` is what it promises, `also_called` are words to find it by besides, and
    `good` and `bad` answers that pass and that don't."""

    key: str
    kind: str
    summary: str
    aspects: list[str]
    also_called: list[str]
    good: list[CheckExample]
    bad: list[CheckExample]
    options: dict[str, Any] = Field(
        description="JSON Schema of its options: title, description and default of each."
    )


class CheckKinds(Shape):
    kinds: list[CheckKind]


class BenchIn(BaseModel):
    """Checks as they stand on the screen, a text of one's own, and how many of the latest tries."""

    checks: list[CheckUse] = Field(max_length=100)
    text: str | None = Field(None, max_length=MOST_TEXT)
    tries: int = Field(5, ge=0, le=MOST_TRIES)


class BenchAnswer(Shape):
    """`asked` are the first words that it was an answer to; `ms` is what all checks took together."""

    source: str
    asked: str
    text: str
    findings: list[FindingShape]
    ms: float


class BenchPage(Shape):
    """`measures` are what every answer must be, in words; `of[measure]` is the use that it belongs to, and
    `faults[use]` is why one can't be had, "" for one that can."""

    measures: list[Measure]
    of: list[int]
    faults: list[str]
    answers: list[BenchAnswer]


class ArmNow(Shape):
    """Of the arm's answers that the check says something of: how many pass it, and how many of all passed
    it in the trial; null where the trial did not have it."""

    name: str
    judged: int
    passed: int
    passed_then: int | None


class ChangedAnswer(Shape):
    """An answer of which the check says otherwise than in the trial, or that fails where it was not asked."""

    reading: int
    arm: int
    case: int
    repeat: int
    text: str
    passes: bool
    message: str
    spans: list[SpanShape]


class RejudgedPage(Shape):
    """`seen` of the trial's `answers` were judged within a few seconds. `changed` has the first of
    `changes`. Nothing is kept."""

    trial: int
    had: bool
    answers: int
    seen: int
    arms: list[ArmNow]
    changes: int
    changed: list[ChangedAnswer]


@bp.post(
    "/trials/<int:trial_id>/rejudged", responses={200: RejudgedPage}, operation_id="rejudgeTrial",
    summary="What a check would have said of a past trial's answers, without asking a model",
)  # fmt: skip
def rejudge_trial(path: TrialPath, body: CheckUse) -> Response:
    with transaction() as tx:
        found = rejudge(tx, trials.get(tx, path.trial_id), body)
    changed = [
        ChangedAnswer(
            **{name: value for name, value in vars(each).items() if name != "finding"},
            message=each.finding.message,
            spans=[
                SpanShape.model_validate(s) for s in each.finding.spans if s.end <= len(each.text)
            ],
        )
        for each in found.changed
    ]
    arms = [ArmNow.model_validate(each) for each in found.arms]
    return reply(RejudgedPage.model_validate({**vars(found), "arms": arms, "changed": changed}))


@bp.get(
    "/checks",
    responses={200: CheckKinds},
    operation_id="listChecks",
    summary="The checks there are",
)
def list_checks() -> Response:
    kinds = []
    for key in CHECKS:
        cls = check_class(key)
        good, bad = (
            [CheckExample(text=e.text, options=dict(e.options)) for e in cls.examples(passing)]
            for passing in (True, False)
        )
        kinds.append(
            CheckKind(
                key=key,
                kind=cls.kind,
                summary=cls.summary,
                aspects=[aspect.title for aspect in cls.aspects],
                also_called=list(cls.also_called),
                good=good,
                bad=bad,
                options=cls.Options.model_json_schema(),
            )
        )
    return reply(CheckKinds(kinds=kinds))


@bp.post(
    "/subjects/<name>/checks/bench", responses={200: BenchPage}, operation_id="benchChecks",
    summary="What checks say of a text and of the latest tries, without asking a model",
)  # fmt: skip
def bench_checks(path: SubjectPath, body: BenchIn) -> Response:
    """Nothing is kept. A check that can't be had with its options says why, and the others judge."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        found = on_the_bench(tx, subject, body.checks, body.text, body.tries)
    of = [at for at, use in enumerate(body.checks) for _ in check_class(use.check).aspects]
    return reply(
        BenchPage(
            measures=[Measure.model_validate(m) for m in found.measures],
            of=of,
            faults=found.faults,
            answers=[
                BenchAnswer(
                    source=each.source,
                    asked=each.asked,
                    text=each.text[:MOST_TEXT],
                    findings=[
                        finding_shape(found.measures[j.measure], j.finding) for j in each.findings
                    ],
                    ms=each.ms,
                )
                for each in found.answers
            ],
        )
    )
