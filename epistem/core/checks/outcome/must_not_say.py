"""The answer keeps clear of the words that its case rules out."""

from __future__ import annotations

import re
from typing import ClassVar

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span


class MustNotSayOptions(Options):
    """None: the words stand in the cases."""


class MustNotSay(Check):
    key = "outcome.must_not_say"
    version = 1
    kind = "outcome"
    summary = (
        "Words that a case rules out do not stand in the answer. Case and line breaks are ignored."
    )
    aspects = (Aspect("", "says none of the words it must not"),)
    Options = MustNotSayOptions

    good: ClassVar = tuple(
        Example(text, expect={"must_not_say": ["free ticket", "refund"]})
        for text in (
            "",
            "It is late.",
            "Refunds are not paid.",
            "Tickets are free.",
            "A free-ticket day",
            "prefund",
            "freeticket",
            "re fund",
        )
    )
    bad: ClassVar = tuple(
        Example(text, expect={"must_not_say": ["free ticket", "refund"]})
        for text in (
            "You get a refund.",
            "REFUND",
            "Here is a free ticket.",
            "A free\nticket",
            "a Free   Ticket!",
            "refund-free",
            "“refund”",
            "No refund for you",
        )
    )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if ground.expect.must_not_say else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        phrases = ground.expect.must_not_say
        if not phrases:
            return []
        spans = [
            Span(found.start(), found.end(), f"must not say “{phrase}”")
            for phrase in phrases
            for found in _pattern(phrase).finditer(answer.text)
        ]
        if not spans:
            return [Finding("", True, "Nothing that is ruled out is said.")]
        said = ", ".join(f"“{p}”" for p in phrases if _pattern(p).search(answer.text))
        return [Finding("", False, f"It says {said}.", tuple(spans))]


def _pattern(phrase: str) -> re.Pattern[str]:
    """The phrase with any white space between its words, not as a piece of a longer word."""
    words = r"\s+".join(map(re.escape, phrase.split()))
    return re.compile(rf"(?<!\w){words}(?!\w)", re.I)
