"""Apply a trial's checks to an answer: built once an arm, used for all its answers."""

from __future__ import annotations

from typing import NamedTuple

from epistem.core.checks.base import Answer, Finding, Ground
from epistem.core.checks.registry import CheckUse, Measure, build, measures_of
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape


class Judged(NamedTuple):
    """A finding, and the index of the measure it belongs to."""

    measure: int
    finding: Finding


class Bench:
    """The checks of one arm. `measures` are the same for every arm of a trial."""

    def __init__(self, uses: list[CheckUse], reply: ReplyShape) -> None:
        """Raises InvalidInput naming the check (`checks.1.options.at`) that can't be used."""
        self.measures: list[Measure] = measures_of(uses)
        index = {measure.key: measure.index for measure in self.measures}
        self._checks = []
        for position, use in enumerate(uses):
            try:
                check = build(use, reply, at=f"checks.{position}")
            except InvalidInput as error:
                error.field = f"checks.{position}"
                raise
            slots = {
                a.key: index[f"{check.key}/{a.key}" if a.key else check.key] for a in check.aspects
            }
            self._checks.append((check, slots))

    def judge(self, answer: Answer, ground: Ground) -> list[Judged]:
        return [
            Judged(slots[finding.aspect], finding)
            for check, slots in self._checks
            for finding in check.judge(answer, ground)
        ]
