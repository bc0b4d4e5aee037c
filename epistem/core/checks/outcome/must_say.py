"""What every answer must have said, and what the case wants said."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.shapes import MOST_LOOKED_AT
from epistem.core.words import alternatives, stands_in


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
    version = 2
    kind = "outcome"
    summary = "These words stand in the answer: all of them, or so many as are enough; and all that the case wants."
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
        Example("Pier two at nine", expect={"must_say": ["pier TWO"]}),
        Example("It is late", {"phrases": ["late"]}, expect={"must_say": ["it is | it's"]}),
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
        Example("Pier three", expect={"must_say": ["pier two"]}),
        Example("late", {"phrases": ["late"]}, expect={"must_say": ["sorry"]}),
        Example("a b", {"phrases": ["a", "x"], "enough": 1}, expect={"must_say": ["c"]}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        told = ", ".join(options.phrases[:3])
        return (
            f"says {told}{' …' if len(options.phrases) > 3 else ''}"[:120] if told else aspect.title
        )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if _plain(self.options.phrases) or _plain(ground.expect.must_say) else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        always, here = _plain(self.options.phrases), _plain(ground.expect.must_say)
        if not always and not here:
            return []
        missing = [each for each in always if not _is_said(each, text)]
        enough = min(self.options.enough or len(always), len(always))
        if len(always) - len(missing) >= enough:
            missing = []
        missing += [each for each in here if not _is_said(each, text)]
        if not missing:
            return [Finding("", True, "It says what it must.")]
        told = ", ".join(f"“{each.strip()}”" for each in missing[:5])
        more = f" and {len(missing) - 5} more" if len(missing) > 5 else ""
        return [Finding("", False, f"It does not say {told}{more}.")]


def _plain(phrases: list[str]) -> list[str]:
    return [each for each in phrases if alternatives(each)]


def _is_said(phrase: str, text: str) -> bool:
    return any(stands_in(way, text) for way in alternatives(phrase))
