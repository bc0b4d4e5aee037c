"""Cases held out: asked in trials like all others, their results out of sight until somebody looks."""

from __future__ import annotations

from collections.abc import Sequence

from epistem.core.cases.content import Case
from epistem.core.cases.identity import asked_hash

TAG = "holdout"
"""A case with this tag is held out."""


def is_held_out(case: Case) -> bool:
    return TAG in case.tags


def share_of(cases: Sequence[tuple[int, Case]], share: float) -> list[int]:
    """The numbers of so large a share (0 to 1), by what the cases ask: the same ones whatever their order,
    and those that were in a smaller share are in a larger one."""
    by_lot = sorted((asked_hash(case), number) for number, case in cases)
    return sorted(number for _, number in by_lot[: round(share * len(by_lot))])
