"""How long a run of words an answer copies from its sources."""

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
from epistem.core.checks.shapes import MOST_LOOKED_AT
from epistem.core.language.runs import longest_run


class CopyOptions(Options):
    most: float = Field(
        12, ge=1, le=1e6, title="At most", description="Words in a row that stand so in a source."
    )
    sources: list[str] = Field(default_factory=list, max_length=50, title="Sources")


class NotCopied(Check):
    key = "grounding.copied"
    version = 1
    kind = "grounding"
    summary = "No long run of words is copied from a source word for word."
    also_called = ("plagiarism", "verbatim", "copying", "own words", "longest run")
    aspects = (Aspect("", "in its own words"),)
    unit = "word"
    aim = "less"
    score_margin = 1.0
    Options: ClassVar[type[Options]] = CopyOptions
    shown_with: ClassVar = {"most": 5}
    good: ClassVar = tuple(
        Example(
            text,
            options,
            {"text": "The last boat leaves Sandray at 18:45. There is no boat on Sundays."},
        )
        for text, options in (
            ("At 18:45 the last boat goes.", {"most": 5}),
            ("The last boat leaves Sandray", {"most": 5}),
            ("", {"most": 5}),
            ("Something else entirely, at some length, in words of its own.", {"most": 5}),
            ("The last boat leaves Sandray at 18:45.", {}),
            ("the LAST boat leaves sandray!", {"most": 5}),
            ("There is no boat today. On Sundays there is none.", {"most": 5}),
            ("The first boat leaves Sandray late.", {"most": 3}),
        )
    )
    bad: ClassVar = tuple(
        Example(
            text,
            options,
            {"text": "The last boat leaves Sandray at 18:45. There is no boat on Sundays."},
        )
        for text, options in (
            ("The last boat leaves Sandray at 18:45.", {"most": 5}),
            ("the last boat leaves sandray at 18:45", {"most": 5}),
            ("Note: there is no boat on Sundays!", {"most": 5}),
            ("The last, boat; leaves: Sandray at", {"most": 5}),
            ("The last boat leaves Sandray at 18:45. There is no boat on Sundays.", {}),
            ("Well, the last boat leaves Sandray at some time.", {"most": 4}),
            ("The last boat", {"most": 2}),
            ("No boat on Sundays", {"most": 3}),
        )
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"copies no more than {options.most:g} words in a row"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        sources, _ = chosen_sources(ground, self.options.sources)
        length, start, end, at = longest_run(text, *(source.text for source in sources))
        ref = sources[at].ref if at >= 0 else ""
        refs = (ref,) if ref else ()
        said = f"{length} word{'' if length == 1 else 's'} in a row"
        if length <= self.options.most:
            return [Finding("", True, f"{said} at most.", (), float(length), "word", (), refs)]
        span = Span(start, end, f"word for word from {ref}")
        return [
            Finding(
                "",
                False,
                f"{said} from {ref}; {self.options.most:g} are let through.",
                (span,),
                float(length),
                "word",
                (),
                refs,
            )
        ]
