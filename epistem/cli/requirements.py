"""`--require CHECK[=RATE]`: when a verdict is not good enough."""

from __future__ import annotations

from dataclasses import dataclass

from epistem.core.checks.measures import Measure
from epistem.core.errors import InvalidInput
from epistem.core.shapes import listed
from epistem.work.evidence import Evidence


@dataclass(frozen=True)
class Requirement:
    """`check` is a measure's key or title; without `rate` no arm may be worse than the baseline."""

    check: str
    rate: float | None = None

    @classmethod
    def from_text(cls, text: str) -> Requirement:
        check, given, rate = text.partition("=")
        if not given:
            return cls(check.strip())
        try:
            value = float(rate.strip().removesuffix("%")) / (
                100 if rate.strip().endswith("%") else 1
            )
        except ValueError:
            value = -1
        if not 0 <= value <= 1:
            raise InvalidInput(
                f"“{rate}” is not a rate from 0 to 1, such as 0.9 or 90%.", field="--require"
            )
        return cls(check.strip(), value)


def shortfalls(requirements: list[Requirement], found: Evidence) -> list[str]:
    """A line for each arm and requirement that was not met."""
    short = []
    for requirement in requirements:
        measure = _measure(requirement.check, found.measures)
        if requirement.rate is None:
            short += [
                f"{found.names[c.arm]} is worse than {found.names[0]} on “{measure.title}”"
                for c in found.verdict.comparisons
                if c.measure == measure.index and c.word == "worse"
            ]
            continue
        arms = range(1, len(found.names)) if len(found.names) > 1 else range(1)
        for arm in arms:
            rate = found.verdict.rates[arm][measure.index]
            if rate is None or rate.value < requirement.rate:
                told = "nothing" if rate is None else f"{rate.value:.1%}"
                short.append(
                    f"{found.names[arm]} passes “{measure.title}” in {told}, not {requirement.rate:.1%}"
                )
    return short


def _measure(check: str, measures: list[Measure]) -> Measure:
    for measure in measures:
        if check in (measure.key, measure.title):
            return measure
    there = listed([f"“{m.title}”" for m in measures], "and")
    raise InvalidInput(f"The trial has no check “{check}”. It has {there}.", field="--require")
