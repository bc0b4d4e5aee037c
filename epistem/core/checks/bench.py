"""Apply a trial's checks to an answer: built once an arm, used for all its answers."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

from epistem.core.checks.base import Answer, Check, Finding, Ground, Reads
from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.checks.judge.rubrics import Judge
from epistem.core.checks.outcome.queries import Running
from epistem.core.checks.registry import aspects_of, build
from epistem.core.checks.uses import CheckUse, numbered
from epistem.core.engine.needs import Program
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape

NO_ANSWER = "No answer came."


class Judged(NamedTuple):
    """A finding, and the index of the measure it belongs to."""

    measure: int
    finding: Finding


_Placed = tuple[Check, dict[str, int]]
"""A check, with the index of the measure of each of its aspects."""


class Bench:
    """The checks of one arm. Their measures are the same for every arm of a trial."""

    def __init__(self, uses: Sequence[CheckUse], reply: ReplyShape, *, strict: bool = True) -> None:
        """Raises InvalidInput naming the check (`checks.1.options.at`) that can't be used; if it is not
        `strict`, `faults[use]` says why one is passed over, "" for one that is not."""
        self.faults: list[str] = []
        self._checks: list[_Placed] = []
        self._judges: list[tuple[Judge, dict[str, int], str]] = []
        self._running: list[tuple[Running, dict[str, int], str]] = []
        self._mending: list[Check] = []
        self.reads: frozenset[Reads] = frozenset()
        self._step_of: dict[int, str] = {}
        self._firsts: list[int] = []
        first = 0
        for position, use in enumerate(numbered(uses)):
            self._firsts.append(first)
            try:
                shape = ReplyShape() if use.step else reply
                check = build(use, shape, at=f"checks.{position}")
            except InvalidInput as error:
                error.field = f"checks.{position}"
                if strict:
                    raise
                self.faults.append(error.message)
                first += len(aspects_of(use))
                continue
            self.faults.append("")
            slots = {aspect.key: first + at for at, aspect in enumerate(check.aspects)}
            first += len(slots)
            self.reads |= check.reads
            if use.step:
                self._step_of[id(check)] = use.step
                self.reads |= {"steps"}
            if use.on_failure == "repair" and check.repairs:
                self._mending.append(check)
            if isinstance(check, Running):
                self._running.append((check, slots, f"query.{first - 1}"))
            elif isinstance(check, Judge):
                self._judges.append((check, slots, f"judge.{first - 1}"))
            else:
                self._checks.append((check, slots))
        self.size = first

    def use_of(self, measure: int) -> int:
        """Which of the uses a measure belongs to."""
        return bisect_right(self._firsts, measure) - 1

    @property
    def judges(self) -> list[str]:
        """The models that are asked for findings, each once."""
        return list(dict.fromkeys(check.options.model for check, _, _ in self._judges))

    @property
    def deliberates(self) -> bool:
        """Whether some findings need the outside: a model that judges, a statement that is run."""
        return bool(self._judges or self._running)

    def judge(self, answer: Answer, ground: Ground, *, goes_on: bool = False) -> list[Judged]:
        """What the plain checks find; of a variation, those that hold it against its original alone, and of
        a talk that goes on not those that need its end. One that breaks down can't tell, and says so."""
        if goes_on:
            return self._found([e for e in self._checks if not e[0].at_the_end], answer, ground)
        return self._found(
            _pairing(self._checks) if _is_variation(ground) else self._checks, answer, ground
        )

    @property
    def at_the_end(self) -> list[str]:
        """What those ask that need the end of a talk, in words."""
        return [
            aspect.title
            for check, _ in self._checks
            if check.at_the_end
            for aspect in check.aspects
        ]

    def judge_pair(self, answer: Answer, ground: Ground) -> list[Judged]:
        """What those find that hold it against the answer to its original."""
        return self._found(_pairing(self._checks), answer, ground)

    def _found(self, checks: Sequence[_Placed], answer: Answer, ground: Ground) -> list[Judged]:
        found: list[Judged] = []
        for check, slots in checks:
            seen = self._seen_by(check, answer)
            try:
                told = check.judge(seen, ground) if seen else self._untold(check, ground)
                told = self._placed(check, told)
            except Exception as error:  # a check must never cost an answer that was paid for
                why = f"The check broke down: {type(error).__name__}: {error}"[:400]
                told = [Finding(key, None, why) for key in slots]
            found += [Judged(slots[finding.aspect], finding) for finding in told]
        return found

    def _seen_by(self, check: Check, answer: Answer) -> Answer | None:
        """What it judges: the answer, or what a step of the chain wrote; None where the walk did not come to that."""
        step = self._step_of.get(id(check))
        if step is None:
            return answer
        text = answer.steps.get(step)
        return None if text is None else replace(answer, text=text, finish_reason="stop", before=())

    def _untold(self, check: Check, ground: Ground) -> list[Finding]:
        why = f"Nothing is known of what the step “{self._step_of[id(check)]}” wrote."
        return [Finding(key, None, why) for key in check.asked(ground)]

    def _placed(self, check: Check, found: Sequence[Finding]) -> list[Finding]:
        """The words that it objects to stand in the answer alone, so those of a step are not pointed at."""
        if id(check) not in self._step_of:
            return list(found)
        return [replace(each, spans=(), pointers=()) for each in found]

    def repaired(self, answer: Answer, ground: Ground) -> str:
        """Its text as the checks whose use says so would mend it, one after the other."""
        text = answer.text
        for check in self._mending:
            try:
                if any(f.failed for f in check.judge(replace(answer, text=text), ground)):
                    text = check.repair(text, ground)
            except Exception:  # what can't be judged is not mended
                continue
        return text

    def run(self, answer: Answer, ground: Ground) -> Program[list[Judged]]:
        """What those find that run the answer's query."""
        found: list[Judged] = []
        for check, slots, at in () if _is_variation(ground) else self._running:
            seen = self._seen_by(check, answer)
            if seen is None:
                told = self._untold(check, ground)
            else:
                told = yield from check.program(seen, ground, at)
            told = self._placed(check, told)
            found += [Judged(slots[finding.aspect], finding) for finding in told]
        return found

    def deliberate(
        self, answer: Answer, ground: Ground, judges: Mapping[str, JudgeModel]
    ) -> Program[list[Judged]]:
        """What those find that need the outside: a program that asks judges and runs statements. A judge that is
        not there can't tell."""
        found: list[Judged] = []
        found += yield from self.run(answer, ground)
        for check, slots, at in () if _is_variation(ground) else self._judges:
            judge = judges.get(check.options.model)
            seen = self._seen_by(check, answer)
            if seen is None:
                told = self._untold(check, ground)
            elif judge is None:
                told = [
                    Finding(key, None, f"{check.options.model} is not in the list of models.")
                    for key in slots
                ]
            else:
                told = yield from check.program(seen, ground, judge, at)
            told = self._placed(check, told)
            found += [Judged(slots[finding.aspect], finding) for finding in told]
        return found

    def unanswered(self, ground: Ground) -> list[Judged]:
        """What is said where no answer came: every aspect that the case asks about has failed."""
        return [
            Judged(slots[key], Finding(key, False, NO_ANSWER))
            for check, slots in (_pairing(self._all) if _is_variation(ground) else self._all)
            for key in check.asked(ground)
        ]

    @property
    def _all(self) -> Iterator[_Placed]:
        yield from self._checks
        for runs, slots, _ in self._running:
            yield runs, slots
        for check, slots, _ in self._judges:
            yield check, slots


def _pairing(checks: Iterable[_Placed]) -> list[_Placed]:
    return [(check, slots) for check, slots in checks if "pair" in check.reads]


def _is_variation(ground: Ground) -> bool:
    return ground.pair is not None and ground.pair.is_variation
