"""Putting a judge to the test: does it give answers with known scores about those scores?"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.checks.judge.asking import JudgeModel, ask_for_score
from epistem.core.checks.judge.criteria import Criterion
from epistem.core.checks.judge.rubrics import shown_of
from epistem.core.engine.needs import Program

FEWEST = 3
"""Fewer answers with known scores than this tell nothing of a judge."""
NEAR_SHARE = 0.8


class Said(NamedTuple):
    """A known answer, and what the judge gave it; None for no score, and `reason` why."""

    known: int
    given: float | None
    reason: str


class Trust(NamedTuple):
    """`why` is a sentence with the numbers."""

    trusted: bool
    why: str


def probation(criterion: Criterion, judge: JudgeModel) -> Program[list[Said]]:
    """Ask for the score of every known answer of the criterion, once each, at temperature 0."""
    found = []
    for number, known in enumerate(criterion.known, start=1):
        told = yield from ask_for_score(criterion, shown_of(known), judge, f"known.{number}")
        found.append(Said(known.score, told.value, told.reason))
    return found


def trust_in(said: Sequence[Said], criterion: Criterion) -> Trust:
    """Trusted is a judge that is within a point (for yes or no: right) for four of five, and that gives good
    answers more than bad ones: by at least half of what they differ on average."""
    if len(said) < FEWEST:
        return Trust(
            False,
            f"There are {len(said)} answers with known scores; {FEWEST} are the fewest that tell something.",
        )
    reach = 1 if criterion.anchors else 0
    near = sum(s.given is not None and abs(s.given - s.known) <= reach for s in said)
    told = f"{near} of {len(said)} known answers {'within a point' if reach else 'right'}"
    if near < NEAR_SHARE * len(said):
        return Trust(False, f"{told}; {NEAR_SHARE:.0%} are wanted.")
    middle = (criterion.top + criterion.bottom) / 2
    good = [s for s in said if s.known > middle and s.given is not None]
    bad = [s for s in said if s.known < middle and s.given is not None]
    if not good or not bad:
        return Trust(
            False, f"{told}, but the known answers are all good, or all bad: that tells too little."
        )
    apart = _mean([s.given for s in good]) - _mean([s.given for s in bad])
    really = _mean([s.known for s in good]) - _mean([s.known for s in bad])
    if apart < really / 2:
        return Trust(
            False,
            f"{told}, but good and bad answers differ by {apart:.1f} where {really:.1f} is right.",
        )
    return Trust(
        True, f"{told}; good and bad answers {apart:.1f} apart, where {really:.1f} is right."
    )


def _mean(values: Sequence[float | None]) -> float:
    told = [value for value in values if value is not None]
    return sum(told) / len(told)
