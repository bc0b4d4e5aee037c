"""What every answer must have said."""

from __future__ import annotations

import re
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.shapes import MOST_LOOKED_AT


class MustSayOptions(Options):
    phrases: list[str] = Field(
        default_factory=list,
        max_length=200,
        title="Words and phrases",
        description="Capitals and line breaks do not count; a | b is either.",
    )
    enough: int | None = Field(
        None, ge=1, le=200, title="So many are enough", description="Empty asks for all."
    )


class MustSay(Check):
    key = "outcome.must_say"
    version = 1
    kind = "outcome"
    summary = "These words stand in the answer: all of them, or so many as are enough."
    also_called = ("contains", "includes", "keyword", "mention", "required words")
    aspects = (Aspect("", "says what it must"),)
    Options: ClassVar[type[Options]] = MustSayOptions
    shown_with: ClassVar = {"phrases": ["pier two", "nine | 9:00"]}
    good: ClassVar = (
        "Pier two, at nine.",
        "At 9:00 from PIER TWO.",
        "From pier\ntwo it leaves at nine.",
        "pier  two; nine",
        "nine boats at pier two.",
        Example("At nine.", {"phrases": ["pier two", "nine"], "enough": 1}),
        Example("anything", {"phrases": []}),
        Example("naïve", {"phrases": ["NAÏVE"]}),
    )
    bad: ClassVar = (
        "",
        "At nine.",
        "Pier two.",
        "Pier twofold, at nine.",
        "Pier two, at ninety.",
        "two pier nine",
        Example("At ten.", {"phrases": ["pier two", "nine"], "enough": 1}),
        Example("9", {"phrases": ["nine"]}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        told = ", ".join(options.phrases[:3])
        return (
            f"says {told}{' …' if len(options.phrases) > 3 else ''}"[:120] if told else aspect.title
        )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = " ".join(answer.text[:MOST_LOOKED_AT].casefold().split())
        asked = [each for each in self.options.phrases if each.replace("|", "").strip()]
        missing = [each for each in asked if not any(_said(way, text) for way in each.split("|"))]
        wanted = min(self.options.enough or len(asked), len(asked))
        said = len(asked) - len(missing)
        if said >= wanted:
            return [Finding("", True, "It says what it must.")]
        told = ", ".join(f"“{each.strip()}”" for each in missing[:5])
        more = f" and {len(missing) - 5} more" if len(missing) > 5 else ""
        return [Finding("", False, f"It does not say {told}{more}.")]


def _said(phrase: str, text: str) -> bool:
    """Not as a piece of a longer word."""
    words = re.escape(" ".join(phrase.casefold().split())).replace(r"\ ", " ")
    return bool(words) and bool(re.search(rf"(?<!\w){words}(?!\w)", text))
