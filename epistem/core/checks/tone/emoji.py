"""Emoji: how many, which, and not the same again."""

from __future__ import annotations

import re
from typing import Any, ClassVar

import regex
from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Example, Finding, Ground, Options, Span
from epistem.core.checks.shapes import MOST_LOOKED_AT, Bounds, CountOf, bounds, without

_EMOJI = regex.compile(
    r"\p{RI}\p{RI}|[0-9#*]\ufe0f?\u20e3"
    r"|(?:(?=\p{Extended_Pictographic})\p{Emoji_Presentation}|\p{Extended_Pictographic}\ufe0f|"
    r"\p{Extended_Pictographic}(?=\p{Emoji_Modifier}))"
    r"(?:\ufe0f|\p{Emoji_Modifier})*(?:\u200d\p{Extended_Pictographic}(?:\ufe0f|\p{Emoji_Modifier})*)*"
)


_SPARE = re.compile(r"[ \t]+(?=[ \t\n])")
"""White space that a removed one leaves."""


class EmojiOptions(Bounds):
    most: float | None = Field(0, ge=0, le=1e9, title="At most")
    only: list[str] = Field(
        default_factory=list, max_length=200, title="Only these", description="Empty allows all."
    )


class Emoji(CountOf):
    key = "tone.emoji"
    version = 1
    kind = "tone"
    summary = "So many emoji and no more; only these, if you list some."
    also_called = ("smiley", "emoticon", "no emoji")
    aspects = (Aspect("", "emoji"),)
    Options: ClassVar[type[Options]] = EmojiOptions
    libraries = ("regex",)
    unit = "emoji"
    repairs = True
    good: ClassVar = (
        "The boat is late.",
        "It costs 5 * 4 # 3.",
        "Epistem™ and © 2026",
        "Room 4, floor 2",
        "→ see page 3 ✓",
        "",
        Example("Good 🙂", {"most": 1}),
        Example("👨\u200d👩\u200d👧 are one", {"most": 1}),
        Example("👍🏽 🇫🇷", {"most": 2}),
        Example("Good 🙂 🙂", {"most": None, "only": ["🙂"]}),
        Example("❤️", {"least": 1, "most": 1}),
    )
    bad: ClassVar = (
        "Good 🙂",
        "❤️",
        "👍🏽",
        "🇫🇷",
        "1️⃣ first",
        Example("🙂🙂", {"most": 1}),
        Example("Good.", {"least": 1, "most": None}),
        Example("Good 🎉", {"most": None, "only": ["🙂"]}),
        Example("👨\u200d👩\u200d👧 👍", {"most": 1}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        only = f", only {' '.join(options.only)}" if options.only else ""
        if options.most == 0:
            return "no emoji"
        if options.least is None and options.most is None:
            return f"emoji{only}"[:120]
        return f"{bounds(options.least, options.most, 'emoji').replace('emojis', 'emoji')}{only}"[
            :120
        ]

    def tell(self, number: float) -> str:
        return f"{number:g} emoji"

    def places(self, text: str) -> list[tuple[int, int]]:
        return [] if text.isascii() else [match.span() for match in _EMOJI.finditer(text)]

    def repair(self, text: str, ground: Ground) -> str:
        """Without those that are not allowed, and those beyond the most."""
        only, most = self.options.only, self.options.most
        kept = 0
        gone: list[Span] = []
        for match in _EMOJI.finditer(text):
            if (only and match[0] not in only) or (most is not None and kept >= most):
                gone.append(Span(match.start(), match.end(), ""))
            else:
                kept += 1
        return _SPARE.sub("", without(text, gone)).strip() if gone else text

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if self.options.only and not answer.text.isascii():
            strange = [
                m
                for m in _EMOJI.finditer(answer.text[:MOST_LOOKED_AT])
                if m[0] not in self.options.only
            ]
            if strange:
                spans = tuple(
                    Span(m.start(), m.end(), "not among those allowed") for m in strange[:100]
                )
                return [Finding("", False, f"{strange[0][0]} is not among those allowed.", spans)]
        return super().judge(answer, ground)
