"""Apply a trial's checks to an answer: built once an arm, used for all its answers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.checks.base import Answer, Check, Finding, Ground
from epistem.core.checks.registry import CheckUse, build
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape

NO_ANSWER = "No answer came."


class Judged(NamedTuple):
    """A finding, and the index of the measure it belongs to."""

    measure: int
    finding: Finding


class Bench:
    """The checks of one arm. Their measures are the same for every arm of a trial."""

    def __init__(self, uses: Sequence[CheckUse], reply: ReplyShape) -> None:
        """Raises InvalidInput naming the check (`checks.1.options.at`) that can't be used."""
        self._checks: list[tuple[Check, dict[str, int]]] = []
        first = 0
        for position, use in enumerate(uses):
            try:
                check = build(use, reply, at=f"checks.{position}")
            except InvalidInput as error:
                error.field = f"checks.{position}"
                raise
            slots = {aspect.key: first + at for at, aspect in enumerate(check.aspects)}
            first += len(slots)
            self._checks.append((check, slots))
        self.size = first

    def judge(self, answer: Answer, ground: Ground) -> list[Judged]:
        return [
            Judged(slots[finding.aspect], finding)
            for check, slots in self._checks
            for finding in check.judge(answer, ground)
        ]

    def unanswered(self, ground: Ground) -> list[Judged]:
        """What is said where no answer came: every aspect that the case asks about has failed."""
        return [
            Judged(slots[key], Finding(key, False, NO_ANSWER))
            for check, slots in self._checks
            for key in check.asked(ground)
        ]
