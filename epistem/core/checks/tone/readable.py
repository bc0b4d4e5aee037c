"""How hard a text is to read, by published formulas, and how long its sentences are."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterable
from functools import lru_cache
from math import sqrt
from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Options, Span
from epistem.core.checks.shapes import Bounds, WithinBounds
from epistem.core.language.reading import sentences, words

FEWEST_WORDS = 8
"""A text of fewer words has no grade worth the name."""
_VOWELS = re.compile(r"[aeiouy]+")
_LATIN = re.compile(r"[A-Za-zÀ-ÿ]")
_SHORT = "It is a dog. It can run. We see it go up the hill."
_STIFF = (
    "Notwithstanding considerable organisational difficulties, passengers experiencing accessibility requirements "
    "should immediately communicate corresponding documentation to responsible administrative representatives."
)


@lru_cache(maxsize=50_000)
def syllables(word: str) -> int:
    """By rule, for English: groups of vowels, less a silent e or ed at the end; at least one."""
    low = re.sub(r"[^a-z]", "", word.lower())
    count = len(_VOWELS.findall(low))
    if (
        (low.endswith("e") and not low.endswith(("le", "ee", "ye", "oe", "ue")) and count > 1)
        or (low.endswith("le") and len(low) > 2 and low[-3] in "aeiouy" and count > 1)
        or (
            low.endswith("ed")
            and len(low) > 3
            and low[-3] not in "td"
            and low[-3] not in "aeiouy"
            and count > 1
        )
        or (
            low.endswith("es")
            and len(low) > 3
            and low[-3] not in "sxzcgh"
            and low[-3] not in "aeiouy"
            and count > 1
        )
    ):
        count -= 1
    count += len(re.findall(r"ia(?!n)|io(?!n)|eo|[aeiouy]ing\b|uou", low)) if count else 0
    return max(count, 1)


Formula = Literal["flesch_kincaid", "gunning_fog", "smog", "coleman_liau", "automated"]


def grade(text: str, formula: Formula = "flesch_kincaid") -> float | None:
    """The school grade that a text asks for; None for too few words or a script that it can't read.

    Sources: Kincaid et al. 1975 (flesch_kincaid), Gunning 1952, McLaughlin 1969 (SMOG), Coleman and Liau 1975,
    Smith and Senter 1967 (automated readability index).
    """
    said = [text[w.start : w.end] for w in words(text)]
    spoken = [word for word in said if _LATIN.search(word)]
    if len(spoken) < FEWEST_WORDS or len(spoken) < 0.8 * len(said):
        return None
    n, many = len(spoken), max(len(sentences(text)), 1)
    if formula in ("coleman_liau", "automated"):
        letters = sum(sum(c.isalnum() for c in word) for word in spoken)
        if formula == "coleman_liau":
            return 0.0588 * (100 * letters / n) - 0.296 * (100 * many / n) - 15.8
        return 4.71 * letters / n + 0.5 * n / many - 21.43
    counts = [syllables(word) for word in spoken]
    hard = sum(count >= 3 for count in counts)
    if formula == "gunning_fog":
        return 0.4 * (n / many + 100 * hard / n)
    if formula == "smog":
        return 1.0430 * sqrt(hard * 30 / many) + 3.1291
    return 0.39 * n / many + 11.8 * sum(counts) / n - 15.59


class GradeOptions(Options):
    most: float | None = Field(
        8, ge=-5, le=40, title="At most", description="Grade 8 is read at about 13."
    )
    least: float | None = Field(None, ge=-5, le=40, title="At least")
    formula: Formula = Field("flesch_kincaid", title="Formula")

    def contradicts(self) -> bool:
        return self.least is not None and self.most is not None and self.least > self.most


class ReadingGrade(WithinBounds):
    key = "tone.reading_grade"
    version = 1
    kind = "tone"
    summary = "The school grade that the text asks for, by a published formula. English; a few words have no grade."
    also_called = ("plain language", "readability", "simple", "reading level", "flesch")
    aspects = (Aspect("", "reading grade"),)
    Options: ClassVar[type[Options]] = GradeOptions
    unit = "grade"
    good: ClassVar = (
        _SHORT,
        "The boat is late. It will leave at ten. Please wait on the pier.",
        "You can bring your dog. Keep it on a lead. It must not sit on a seat.",
        "Dr. Calder is in the U.S. Office at 3 p.m. You can call her then.",
        Example(_STIFF, {"most": None, "least": 12}),
        Example(_SHORT, {"formula": "gunning_fog"}),
        Example(_SHORT, {"formula": "automated"}),
        Example(_SHORT, {"formula": "coleman_liau"}),
    )
    bad: ClassVar = (
        _STIFF,
        "Accommodation availability is subject to organisational considerations beyond our immediate responsibility.",
        Example(_STIFF, {"formula": "gunning_fog"}),
        Example(_STIFF, {"formula": "smog"}),
        Example(_STIFF, {"formula": "coleman_liau"}),
        Example(_STIFF, {"formula": "automated"}),
        Example(_SHORT, {"most": None, "least": 6}),
        "The aforementioned documentation necessitates comprehensive verification procedures before authorisation.",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        if options.most is not None and options.least is not None:
            return f"reading grade {options.least:g} to {options.most:g}"
        if options.most is not None:
            return f"reading grade {options.most:g} at most"
        return (
            "reading grade"
            if options.least is None
            else f"reading grade {options.least:g} at least"
        )

    def tell(self, number: float) -> str:
        return f"grade {number:.1f}"

    def number(self, text: str) -> float | None:
        return grade(text, self.options.formula)


class SentenceOptions(Bounds):
    most: float | None = Field(
        25, ge=0, le=1e9, title="At most", description="Words in the longest sentence."
    )


class SentenceLength(WithinBounds):
    key = "tone.sentence_length"
    version = 1
    kind = "tone"
    summary = "No sentence has more words than this."
    also_called = ("long sentences", "plain language", "short sentences")
    aspects = (Aspect("", "sentence length"),)
    Options: ClassVar[type[Options]] = SentenceOptions
    unit = "word"
    shown_with: ClassVar = {"most": 6}
    good: ClassVar = (
        "The boat is late. We wait.",
        "Ask Dr. Calder at 3 p.m.",
        "- a coat and a hat\n- boots for the deck",
        "It costs 1.50 or 2.75.",
        "One two three four five six.",
        "a\u00a0b c d e f",
        "Yes! No? Maybe.",
        Example("one two three", {"least": 2}),
    )
    bad: ClassVar = (
        "One two three four five six seven.",
        "We wait. But the boat from Hollin is late again.",
        "Ask Dr. Calder in the U.S. Office at noon.",
        "- a coat and a hat and good boots",
        "Well, it is so, e.g. on a Sunday in May.",
        "no stop at the end of this line",
        Example("Yes.", {"least": 2}),
        "One, two, three, four, five, six, seven",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"sentences of {super().sentence(options, aspect)}"

    def number(self, text: str) -> float | None:
        return max(_lengths(text), default=None)

    def beyond(self, text: str) -> Iterable[Span]:
        for piece, length in zip(sentences(text), _lengths(text), strict=True):
            if length > self.options.most:
                yield Span(piece.start, piece.end, "too long")

    def tell(self, number: float) -> str:
        return f"the longest sentence has {super().tell(number)}"


def _lengths(text: str) -> list[float]:
    """Words in each sentence."""
    starts = [word.start for word in words(text)]
    return [
        float(bisect_left(starts, piece.end) - bisect_left(starts, piece.start))
        for piece in sentences(text)
    ]
