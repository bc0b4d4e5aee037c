"""Numbers of an answer stand in what it was given."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf

_NUMBER = re.compile(
    r"(?<![\w.,:/-])[-−]?\d[\d.,:' \u00a0]*\d(?![\w])|(?<![\w.,:/-])[-−]?\d(?![\w.,:]*\d)"
)
_MARKER = re.compile(r"^[ \t]*\(?\d{1,3}[.)][ \t]", re.M)
_WORDS = {
    "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10,
    "eleven": 11, "twelve": 12, "thirteen": 13, "fourteen": 14, "fifteen": 15, "sixteen": 16, "seventeen": 17,
    "eighteen": 18, "nineteen": 19, "twenty": 20, "thirty": 30, "forty": 40, "fifty": 50, "sixty": 60, "seventy": 70,
    "eighty": 80, "ninety": 90, "hundred": 100, "noon": 12, "dozen": 12, "half": 0.5,
}  # fmt: skip
_WORD = re.compile(r"\b(" + "|".join(_WORDS) + r")\b", re.I)


class NumberOptions(Options):
    allowed: list[str] = Field(
        default_factory=lambda: ["1", "2"], max_length=200, title="Let through"
    )


class NumbersKnown(FreeOf):
    key = "grounding.numbers"
    version = 1
    kind = "grounding"
    summary = "Every number, price, date and time of the answer stands in the case's inputs."
    also_called = ("hallucination", "figures", "made up", "facts", "dates")
    aspects = (Aspect("", "numbers stand in the input"),)
    nothing = "All its numbers were given."
    Options: ClassVar[type[Options]] = NumberOptions
    good: ClassVar = (
        Example("It leaves at 9:40.", inputs={"notice": "The boat leaves at 09.40."}),
        Example("It costs 1,250 euros.", inputs={"fare": 1250}),
        Example("It costs 3.50.", inputs={"fare": {"adult": 3.5}}),
        Example("Nine boats", inputs={"text": "nine"}),
        Example("There are 9 boats.", inputs={"text": "There are nine boats."}),
        Example("1. Go\n2. Wait\n3. Board", inputs={"text": "Go, wait, board"}),
        Example("No number at all.", inputs={}),
        Example("On 4 May 2026.", inputs={"day": "2026-05-04"}),
        Example("There is 1 way and 2 boats.", inputs={"text": "x"}),
        Example("Room A4, H2O, B2B", inputs={"text": "x"}),
    )
    bad: ClassVar = (
        Example("It leaves at 9:45.", inputs={"notice": "The boat leaves at 09.40."}),
        Example("It costs 1,520 euros.", inputs={"fare": 1250}),
        Example("It costs 3.55.", inputs={"fare": {"adult": 3.5}}),
        Example("There are 8 boats.", inputs={"text": "There are nine boats."}),
        Example("It takes 40 minutes.", inputs={"text": "It takes a while."}),
        Example("On 6 May 2026.", inputs={"day": "2026-05-04"}),
        Example("Call 0117.", inputs={}),
        Example("−4 degrees", inputs={"text": "4 degrees above"}),
    )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        given = _given(_in_words(ground.inputs)) | _given(" ".join(self.options.allowed))
        marked = {
            match.start() + len(match[0]) - len(match[0].lstrip(" \t("))
            for match in _MARKER.finditer(text)
        }
        for match in _NUMBER.finditer(text):
            if match.start() in marked:
                continue
            missing = [value for value in _read(match[0]) if value not in given]
            if missing and not any(value in given for value in _read(match[0], whole=True)):
                yield Span(
                    match.start(),
                    match.start() + len(match[0].rstrip(" .,:")),
                    "stands in no input",
                )


def _in_words(value: object) -> str:
    return json.dumps(value, ensure_ascii=False, default=str)


@lru_cache(maxsize=16)
def _given(text: str) -> frozenset[float]:
    """The numbers of a text; those of a case are asked for by each of its answers."""
    return frozenset(_values(text))


def _values(text: str) -> Iterator[float]:
    for match in _NUMBER.finditer(text):
        yield from _read(match[0])
        yield from _read(match[0], whole=True)
    for match in re.finditer(r"\d+", text):
        yield float(match[0][:30])
    for match in _WORD.finditer(text):
        yield float(_WORDS[match[1].lower()])


def _read(told: str, *, whole: bool = False) -> list[float]:
    """The numbers that a run of digits and marks may mean: 9:40 is 9 and 40, 1,250 is 1250; `whole`: as one."""
    bare = told.strip(" .,:'\u00a0").replace("−", "-").replace("\u00a0", " ").replace("'", "")
    if whole:
        found = []
        for candidate in (
            bare.replace(",", "").replace(" ", ""),
            bare.replace(".", "").replace(" ", "").replace(",", "."),
        ):
            try:
                found.append(float(candidate[:30]))
            except ValueError:
                continue
        return found
    if re.fullmatch(r"-?\d{1,3}(?:[, ]\d{3})+(?:\.\d+)?|-?\d{1,3}(?:\.\d{3})+,\d+", bare):
        return _read(told, whole=True)[:1]
    if re.fullmatch(r"-?\d+[.,]\d{1,2}", bare):
        return [float(bare.replace(",", ".")[:30])]
    return [float(part[:30]) for part in re.findall(r"-?\d+", bare)]
