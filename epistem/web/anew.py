"""Judging a past trial's answers anew: what a check would say, what judges would cost, and keeping it."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.checks.uses import CheckUse
from epistem.store import trials
from epistem.web.findings import SpanShape
from epistem.web.problems import Problem
from epistem.web.replies import Shape, blueprint, database, reply, transaction
from epistem.web.trial_shapes import TrialPath
from epistem.web.trials import TrialPage, page_of
from epistem.work import anew
from epistem.work.rejudging import rejudge
from epistem.work.tools.querying import Queries

bp = blueprint("anew")


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
        found = rejudge(tx, trials.get(tx, path.trial_id), body, Queries(database()))
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


class AnewIn(BaseModel):
    checks: list[CheckUse] | None = Field(
        None, max_length=100, description="Left out: those that the prompt has today."
    )


class PriceShape(Shape):
    """Of judging so many answers: `calls` of judges at the most, what they said before to the same question
    being remembered. Plain checks ask nothing."""

    answers: int
    calls: int
    tokens: int
    cents: float


@bp.post(
    "/trials/<int:trial_id>/anew/price", responses={200: PriceShape, 409: Problem},
    operation_id="priceAnew", summary="What judges would be asked, were a past trial judged anew",
)  # fmt: skip
def price_anew(path: TrialPath, body: AnewIn) -> Response:
    with transaction() as tx:
        found = anew.price_of(tx, path.trial_id, body.checks)
    return reply(PriceShape.model_validate(found._asdict()))


@bp.post(
    "/trials/<int:trial_id>/anew", responses={201: TrialPage, 409: Problem},
    operation_id="judgeAnew", summary="Judge a past trial's answers anew, and keep the findings beside the old ones",
)  # fmt: skip
def judge_anew(path: TrialPath, body: AnewIn) -> Response:
    """A trial of its own, which asks no model but judges. Its verdict rests on its own findings; that of the
    past trial stays as it is."""
    with transaction() as tx:
        return reply(page_of(tx, anew.judge_anew(tx, path.trial_id, body.checks)), 201)
