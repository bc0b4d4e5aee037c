"""What the walks of a trial of chains tell: where they fail, what they took, and each of them step by step."""

from __future__ import annotations

from threading import BoundedSemaphore
from typing import Any

from flask import Response

from epistem.store import readings, trials
from epistem.store.walks import readings as walked
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.readings import ReadingPath, bp, check_in_sight
from epistem.web.replies import Shape, database, reply, transaction
from epistem.web.trial_shapes import ByLook, TrialPath
from epistem.web.walk_shapes import StepShape, step_shapes
from epistem.work.walks.blame import find_blame

_open = BoundedSemaphore(2)
FULL = "Two are being looked into already. Ask again in a moment."


class WalkFailures(Shape):
    """So many walks of an arm ended at one step before they were done."""

    arm: int
    at: str
    step: str
    ended: str
    walks: int


class WalksOfArm(Shape):
    """Steps, rounds of loops and calls are means of a walk. `again` calls were not made, since another had made the
    same: they would have cost `again_cents`."""

    arm: int
    walks: int
    done: int
    steps: float
    rounds: float
    calls: float
    again: int
    again_cents: float


class TrialWalks(Shape):
    arms: list[WalksOfArm]
    failures: list[WalkFailures]


class ReadingWalk(Shape):
    """The walk that a reading of a chain took; no steps where its arm is a prompt."""

    ended: str
    failed_at: str
    failed_step: str
    steps: list[StepShape]


@bp.get(
    "/trials/<int:trial_id>/walks", responses={200: TrialWalks}, operation_id="getTrialWalks",
    summary="Where the walks of a trial's chains fail, and what they take",
)  # fmt: skip
def get_trial_walks(path: TrialPath) -> Response:
    """Of all cases, those held out, too: it tells of no single one."""
    with transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        source = trial.answers_of or trial.id
        arms, failures = walked.by_arm(tx, source), walked.failures(tx, source)
    return reply(
        TrialWalks(
            arms=[WalksOfArm(**each._asdict()) for each in arms],
            failures=[WalkFailures(**each._asdict()) for each in failures],
        )
    )


class StepPutRight(Shape):
    """The walk with that step put right: whether all that is required passes then."""

    at: str
    name: str
    right: dict[str, Any]
    source: str
    passes: bool
    answer: str
    why: str


class BlamedStep(Shape):
    """`to_blame` is the place of the first step by which all is well once it is put right."""

    tried: list[StepPutRight]
    to_blame: str | None
    cents: float


@bp.post(
    "/readings/<int:reading_id>/blame", responses={200: BlamedStep, 409: Problem, 502: Problem},
    operation_id="blameStep", summary="Say which step of a failing walk is to blame",
)  # fmt: skip
def blame_step(path: ReadingPath) -> Response:
    """It is walked again from each step with what that should have written, which may ask models anew."""
    with held(_open, FULL):
        found = find_blame(database(), path.reading_id)
    tried = [StepPutRight(**each._asdict()) for each in found.tried]
    return reply(BlamedStep(tried=tried, to_blame=found.to_blame, cents=found.cents))


@bp.get(
    "/readings/<int:reading_id>/walk", responses={200: ReadingWalk}, operation_id="getReadingWalk",
    summary="The walk of a reading, step by step",
)  # fmt: skip
def get_reading_walk(path: ReadingPath, query: ByLook) -> Response:
    with transaction() as tx:
        reading = readings.get(tx, path.reading_id)
        trial = trials.get(tx, reading.trial_id)
        check_in_sight(tx, trial, reading.case_at, query.look)
        found = walked.of_reading(tx, trial, path.reading_id)
    if found is None:
        return reply(ReadingWalk(ended="", failed_at="", failed_step="", steps=[]))
    return reply(
        ReadingWalk(
            ended=found.ended,
            failed_at=found.failed_at,
            failed_step=found.failed_step,
            steps=step_shapes(found.told),
        )
    )
