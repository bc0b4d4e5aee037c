"""How much of an answer is copied from its sources: the share of its words that stand so there."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import (
    Answer,
    Aspect,
    Check,
    Example,
    Finding,
    Ground,
    Options,
    Span,
)
from epistem.core.checks.grounding.support import chosen_sources
from epistem.core.checks.shapes import MOST_LOOKED_AT, MOST_SPANS
from epistem.core.language.runs import shared_runs


class ShareOptions(Options):
    most: float = Field(
        50, ge=0, le=100, title="At most", description="Of the answer's words, in percent."
    )
    run: int = Field(
        5, ge=2, le=100, title="In runs of", description="Words in a row that count as copied."
    )
    sources: list[str] = Field(default_factory=list, max_length=50, title="Sources")


_SOURCES = {
    "text": "The last boat leaves Sandray at 18:45. There is no boat on Sundays until spring."
}


def _of(text: str, **options: Any) -> Example:
    return Example(text, options, _SOURCES)


class CopiedShare(Check):
    key = "grounding.copied_share"
    version = 1
    kind = "grounding"
    summary = "Of the answer's words no more than a share stands word for word in its sources, in runs of some words."
    also_called = ("wording leak", "verbatim", "copied from sources", "own words", "paraphrase")
    aspects = (Aspect("", "little copied from sources"),)
    unit = "percent"
    aim = "less"
    score_margin = 5.0
    Options: ClassVar[type[Options]] = ShareOptions
    good: ClassVar = (
        _of("At 18:45 the last boat goes from Sandray."),
        _of("On Sundays no boat goes; wait until spring comes."),
        _of(""),
        _of("Something else entirely, at some length, in words of its own."),
        _of("The last boat leaves Sandray at 18:45.", most=100),
        _of(
            "The last boat leaves Sandray at 18:45, so hurry up now, please, and take a warm coat along."
        ),
        _of("The last boat leaves early.", run=5),
        _of("There is no boat. There is no bus.", run=6),
        Example(
            "The last boat leaves Sandray at 18:45.",
            {"sources": ["other"]},
            {"other": "Dogs travel free.", **_SOURCES},
        ),
    )
    bad: ClassVar = (
        _of("The last boat leaves Sandray at 18:45."),
        _of("the last boat LEAVES Sandray at 18:45!"),
        _of("There is no boat on Sundays until spring."),
        _of("Note: there is no boat on Sundays until spring."),
        _of("The last boat leaves Sandray at 18:45. There is no boat on Sundays until spring."),
        _of("Well, the last boat leaves Sandray at some time.", most=40),
        _of("The last boat", run=3),
        _of("No boat on Sundays until spring, I am afraid.", most=60),
        _of("The last, boat; leaves: Sandray at"),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"at most {options.most:g}% copied from sources"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        sources, _ = chosen_sources(ground, self.options.sources)
        found = shared_runs(text, [source.text for source in sources], self.options.run)
        share = 100 * found.shared / found.words if found.words else 0.0
        said = f"{share:.0f}% of its words stand so in its sources"
        if share <= self.options.most:
            return [Finding("", True, f"{said}.", (), share, "percent")]
        spans = tuple(Span(start, end, "word for word") for start, end in found.runs[:MOST_SPANS])
        told = f"{said}; {self.options.most:g}% are let through."
        return [Finding("", False, told, spans, share, "percent")]
