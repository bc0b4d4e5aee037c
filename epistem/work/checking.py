"""The bench of checks: what checks, with options that may not be kept yet, say of answers that are there."""

from __future__ import annotations

from collections.abc import Sequence
from time import perf_counter
from typing import Any, NamedTuple

from epistem.core.cases.content import Case, Expectation, title_of
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.registry import CheckUse, Measure, check_class, measures_of
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.trials.judging import Bench, Judged
from epistem.store import drafts, tries
from epistem.store.database import Transaction
from epistem.store.subjects import Subject


class OnBench(NamedTuple):
    """An answer with where it is from, and what was found in how many milliseconds."""

    source: str
    asked: str
    text: str
    findings: list[Judged]
    ms: float


class Benched(NamedTuple):
    """`faults[use]` is why a use can't be had, "" for one that can; its measures have no findings then."""

    measures: list[Measure]
    faults: list[str]
    answers: list[OnBench]


def on_the_bench(
    tx: Transaction, subject: Subject, uses: Sequence[CheckUse], text: str | None, latest: int
) -> Benched:
    """A text of one's own, if there is one, and the answers of the latest tries, judged by these checks.

    Raises InvalidInput for a check that there is not, or for options that it does not have.
    """
    shape = drafts.get(tx, subject).content.reply
    measures, faults, ready = measures_of(uses, shape), [], []
    first = 0
    for use in uses:
        try:
            ready.append((first, Bench([use], shape)))
            faults.append("")
        except InvalidInput as error:
            faults.append(error.message)
        first += len(check_class(use.check).aspects)
    answers = (
        [] if text is None else [_judged(ready, shape, "your text", "", text, {}, Expectation())]
    )
    for line in tries.listed(tx, subject, most=latest)[:latest]:
        kept = tries.get(tx, subject, line.id)
        asked = kept.asked
        expect = Expectation.from_json(asked.get("expect") or {})
        inputs = asked.get("inputs") or {}
        said = title_of(Case(inputs=inputs))
        answer = str(kept.answered.get("answer") or "")
        end = str(kept.answered.get("finish_reason") or "stop")
        answers.append(_judged(ready, shape, line.model, said, answer, inputs, expect, end))
    return Benched(measures, faults, answers)


def _judged(
    ready: Sequence[tuple[int, Bench]],
    shape: ReplyShape,
    source: str,
    asked: str,
    text: str,
    inputs: dict[str, Any],
    expect: Expectation,
    finish_reason: str = "stop",
) -> OnBench:
    answer, ground = Answer(text, finish_reason), Ground(shape, expect, inputs)
    began = perf_counter()
    found = [
        Judged(first + judged.measure, judged.finding)
        for first, bench in ready
        for judged in bench.judge(answer, ground)
    ]
    return OnBench(source, asked, text, found, 1_000 * (perf_counter() - began))
