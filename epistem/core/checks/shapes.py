"""Two shapes that many checks have: a number within bounds, and a text free of something."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Sequence
from itertools import islice
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Finding, Ground, Options, Span
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape

MOST_SPANS = 100
"""Places that are marked in one answer; there may be more."""
MOST_ROUNDS = 50
"""Of MOST_SPANS places each, that a repair mends."""
MOST_LOOKED_AT = 400_000
"""Characters of an answer that are looked at; what comes after is not read."""


def bounds(least: int | float | None, most: int | float | None, unit: str) -> str:
    """`20 to 60 words`, `60 words at most`, `just 3 items`."""
    if least is not None and most is not None:
        return f"just {told(most, unit)}" if least == most else f"{least:g} to {told(most, unit)}"
    if most is not None:
        return f"no {unit}s" if most == 0 else f"{told(most, unit)} at most"
    return f"{told(least, unit)} at least" if least is not None else f"any number of {unit}s"


def told(number: float | None, unit: str) -> str:
    """`1 word`, `2.5 words`."""
    return f"{number:g} {unit}" if number == 1 else f"{number:g} {unit}s"


class Bounds(Options):
    """`least` and `most`, both allowed themselves."""

    least: float | None = Field(None, ge=0, le=1e9, title="At least")
    most: float | None = Field(None, ge=0, le=1e9, title="At most")

    def contradicts(self) -> bool:
        return self.least is not None and self.most is not None and self.least > self.most


class WithinBounds(Check):
    """Some number of an answer lies within bounds, and is told as a score."""

    aspects: ClassVar[tuple[Aspect, ...]] = (Aspect("", "within bounds"),)
    Options: ClassVar[type[Options]] = Bounds

    def __init__(self, options: Any, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        if options.contradicts():
            raise InvalidInput(
                f"least={options.least:g} is more than most={options.most:g}, so nothing could pass.",
                field="options.least",
            )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return bounds(options.least, options.most, cls.unit_of(options))

    def tell(self, number: float) -> str:
        """The number in words: `3 words`."""
        return told(round(number, 1), self.unit_of(self.options))

    def number(self, text: str) -> float | None:
        """What is bounded; None where this text has no such number, which is no finding."""
        raise NotImplementedError

    def beyond(self, text: str) -> Iterable[Span]:
        """The places to mark when there is too much of it."""
        return ()

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        number = self.number(text)
        if number is None:
            return []
        unit, said = self.unit_of(self.options), _cap(self.tell(number))
        low, high = self.options.least, self.options.most
        wanted = self.sentence(self.options, self.aspects[0])
        if low is not None and number < low:
            return [Finding("", False, f"{said}; {wanted}.", (), number, unit)]
        if high is not None and number > high:
            spans = tuple(islice(self.beyond(text), MOST_SPANS))
            return [Finding("", False, f"{said}; {wanted}.", spans, number, unit)]
        return [Finding("", True, f"{said}.", (), number, unit)]


class CountOf(WithinBounds):
    """How often something stands in an answer lies within bounds; those beyond the most are marked."""

    note: ClassVar[str] = "one too many"

    def places(self, text: str) -> Sequence[tuple[int, int]]:
        """Where it stands, in order."""
        raise NotImplementedError

    def number(self, text: str) -> float:
        return float(len(self.places(text)))

    def beyond(self, text: str) -> Iterable[Span]:
        for start, end in self.places(text)[int(self.options.most or 0) :]:
            yield Span(start, end, self.note)


class FreeOf(Check):
    """An answer passes when nothing of a kind is found in it; every place is marked."""

    aspects: ClassVar[tuple[Aspect, ...]] = (Aspect("", "free of it"),)
    nothing: ClassVar[str] = "None is there."
    """What is said of an answer that passes."""
    put: ClassVar[str] = ""
    """What a repair puts in the place of what was found."""

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        """The places, in order; `note` says what is wrong with each."""
        raise NotImplementedError

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        spans = tuple(islice(self.found(answer.text[:MOST_LOOKED_AT], ground), MOST_SPANS))
        if not spans:
            return [Finding("", True, self.nothing)]
        return [Finding("", False, in_words(answer.text, spans), spans)]

    def repair(self, text: str, ground: Ground) -> str:
        for _ in range(MOST_ROUNDS):
            spans = tuple(islice(self.found(text[:MOST_LOOKED_AT], ground), MOST_SPANS))
            if not spans:
                break
            text = without(text, spans, self.put)
        return text


def without(text: str, spans: Iterable[Span], put: str = "") -> str:
    """The text with `put` in the place of each span; those that meet are one."""
    kept: list[str] = []
    at = 0
    for span in sorted(spans, key=lambda each: (each.start, each.end)):
        if span.start >= at:
            kept += [text[at : span.start], put]
        at = max(at, span.end)
    return "".join(kept) + text[at:]


class Places:
    """Stretches of a text that do not overlap, looked up in logarithmic time."""

    def __init__(self, stretches: Iterable[tuple[int, int]] = ()) -> None:
        found = sorted(stretches)
        self._starts, self._ends = [start for start, _ in found], [end for _, end in found]

    def meets(self, start: int, end: int) -> bool:
        """Whether one of them shares a character with this."""
        at = bisect_left(self._starts, end)
        return at > 0 and self._ends[at - 1] > start

    def add(self, start: int, end: int) -> None:
        at = bisect_left(self._starts, start)
        self._starts.insert(at, start)
        self._ends.insert(at, end)


def in_words(text: str, spans: tuple[Span, ...]) -> str:
    """The first few places with their notes: `“ph 0701…”: a phone number; and 2 more`."""
    said = [f"“{_short(text[s.start : s.end])}”: {s.note}" for s in spans[:3]]
    more = f"; and {len(spans) - 3} more" if len(spans) > 3 else ""
    return f"{'; '.join(said)}{more}."


def _short(text: str) -> str:
    bare = " ".join(text.split())
    return bare if len(bare) <= 60 else f"{bare[:59]}…"


def _cap(text: str) -> str:
    return text[:1].upper() + text[1:]
