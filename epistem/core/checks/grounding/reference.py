"""How like the answer is to the one that would be right: chrF, ROUGE-L, token F1."""

from __future__ import annotations

import re
import string
from collections import Counter
from functools import lru_cache
from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options

LONGEST = 6_000
"""Characters that are compared."""
Measure = Literal["chrf", "rouge_l", "token_f1"]
_NAMES = {"chrf": "chrF", "rouge_l": "ROUGE-L", "token_f1": "token F1"}


def chrf(answer: str, reference: str, order: int = 6, beta: float = 2.0) -> float:
    """0–100. Popović 2015: F of precision and recall of character n-grams, white space left out, averaged
    over the orders that both texts have."""
    one, other = ("".join(text.split()) for text in (answer, reference))
    precision = recall = 0.0
    orders = 0
    for n in range(1, order + 1):
        a, b = _grams(one, n), _kept_grams(other, n)
        if a and b:
            shared = (a & b).total()
            precision, recall, orders = (
                precision + shared / a.total(),
                recall + shared / b.total(),
                orders + 1,
            )
    if not orders:
        return 0.0
    precision, recall = precision / orders, recall / orders
    both = beta**2 * precision + recall
    return 100 * (1 + beta**2) * precision * recall / both if both else 0.0


def _grams(text: str, n: int) -> Counter[str]:
    return Counter(text[i : i + n] for i in range(len(text) - n + 1))


_kept_grams = lru_cache(maxsize=32)(_grams)
"""Of a reference, which all answers to its case are held against."""


def rouge_l(answer: str, reference: str) -> float:
    """0–1. Lin 2004: F1 of the longest common subsequence of words, in small letters."""
    a, b = (re.findall(r"[^\W_]+", text.lower()) for text in (answer, reference))
    if not a or not b:
        return 0.0
    common = _common(a, b)
    precision, recall = common / len(a), common / len(b)
    return 2 * precision * recall / (precision + recall) if precision + recall else 0.0


def _common(one: list[str], other: list[str]) -> int:
    """Length of the longest common subsequence, by bits (Hyyrö 2004): a word of the machine at a time."""
    places: dict[str, int] = {}
    for at, word in enumerate(one):
        places[word] = places.get(word, 0) | 1 << at
    every = (1 << len(one)) - 1
    open_ones = every
    for word in other:
        met = open_ones & places.get(word, 0)
        open_ones = ((open_ones + met) | (open_ones - met)) & every
    return len(one) - open_ones.bit_count()


def token_f1(answer: str, reference: str) -> float:
    """0–1. Rajpurkar et al. 2016: F1 of the bags of words, without articles and punctuation."""
    a, b = (_tokens(text) for text in (answer, reference))
    if not a or not b:
        return float(a == b)
    shared = (Counter(a) & Counter(b)).total()
    return 2 * shared / (len(a) + len(b))


def _tokens(text: str) -> list[str]:
    bare = "".join(char for char in text.lower() if char not in string.punctuation)
    return re.sub(r"\b(?:a|an|the)\b", " ", bare).split()


def similarity(answer: str, reference: str, measure: Measure) -> float:
    """In percent."""
    one, other = answer[:LONGEST], reference[:LONGEST]
    if measure == "chrf":
        return chrf(one, other)
    return 100 * (rouge_l(one, other) if measure == "rouge_l" else token_f1(one, other))


class ReferenceOptions(Options):
    measure: Measure = Field("chrf", title="Measure")
    least: float = Field(50, ge=0, le=100, title="At least", description="In percent.")


class LikeReference(Check):
    key = "grounding.reference"
    version = 1
    kind = "grounding"
    summary = (
        "The answer is at least so like the case's right answer. Cases without one are passed over."
    )
    also_called = ("similarity", "bleu", "rouge", "expected answer", "overlap", "f1")
    aspects = (Aspect("", "like the right answer"),)
    unit = "percent"
    aim = "more"
    score_margin = 2.0
    Options: ClassVar[type[Options]] = ReferenceOptions
    good: ClassVar = tuple(
        Example(text, options, expect={"answer": "The boat leaves Hollin at nine."})
        for text, options in (
            ("The boat leaves Hollin at nine.", {"least": 100}),
            ("The boat leaves Hollin at ten.", {}),
            ("the boat leaves hollin at nine", {"measure": "token_f1", "least": 100}),
            ("A boat leaves Hollin at nine!", {"measure": "token_f1", "least": 100}),
            ("At nine the boat leaves Hollin.", {"measure": "token_f1", "least": 100}),
            ("The boat leaves Hollin at nine, always.", {"measure": "rouge_l", "least": 90}),
            ("The boat from Hollin leaves at nine.", {"measure": "rouge_l"}),
            ("nothing", {"least": 0}),
        )
    )
    bad: ClassVar = tuple(
        Example(text, options, expect={"answer": "The boat leaves Hollin at nine."})
        for text, options in (
            ("", {}),
            ("No.", {}),
            ("Dogs may ride for free.", {}),
            ("nine at Hollin leaves boat the", {"measure": "rouge_l", "least": 60}),
            ("It is late.", {"measure": "token_f1"}),
            ("船は遅れています", {}),
            ("The boat", {"least": 60}),
            ("The boat leaves Hollin at nine. " * 30, {"measure": "token_f1"}),
        )
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"like the right answer ({_NAMES[options.measure]}, {options.least:g}% at least)"

    def asked(self, ground: Ground) -> list[str]:
        return [""] if ground.expect.answer else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if not ground.expect.answer:
            return []
        found = similarity(answer.text, ground.expect.answer, self.options.measure)
        told = f"{_NAMES[self.options.measure]} is {found:.1f}%"
        passed = found >= self.options.least - 1e-9
        wanted = "" if passed else f"; at least {self.options.least:g}% is wanted"
        return [Finding("", passed, f"{told}{wanted}.", (), round(found, 4), "percent")]
