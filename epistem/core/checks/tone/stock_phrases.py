"""The answer is free of the phrases that give a machine, or a form letter, away."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.signature import digest
from epistem.core.prompts.content import ReplyShape

PHRASES = (
    "as an AI",
    "as a language model",
    "at your earliest convenience",
    "do not hesitate to",
    "don't hesitate to",
    "feel free to reach out",
    "for any inconvenience",
    "great question",
    "I am here to help",
    "I completely understand",
    "I hope this helps",
    "I understand your frustration",
    "I'm here to help",
    "in order to better assist you",
    "is there anything else",
    "it is important to note",
    "it's important to note",
    "kindly be informed",
    "let me know if",
    "please be advised",
    "rest assured",
    "thank you for reaching out",
    "thank you for your patience",
    "we apologise for",
    "we apologize for",
    "we value your",
    "your satisfaction is",
)


class StockPhraseOptions(Options):
    """`also`: phrases to forbid besides the usual ones. `allow`: usual ones to let through."""

    also: list[str] = Field(
        default_factory=list,
        max_length=500,
        title="Forbid also",
        description="Phrases besides the usual ones.",
    )
    allow: list[str] = Field(
        default_factory=list,
        max_length=500,
        title="Let through",
        description="Usual ones that are allowed here.",
    )


class NoStockPhrases(Check):
    key = "tone.stock_phrases"
    version = 1
    kind = "tone"
    summary = "None of the stock phrases stands in the answer; the list can be added to and cut."
    aspects = (Aspect("", "no stock phrases"),)
    Options: ClassVar[type[Options]] = StockPhraseOptions

    good: ClassVar = (
        "The boat is late.",
        "Say where you are.",
        "Rest a while.",
        "It is important.",
        "Is there anything on board?",
        "",
        Example("Rest assured it is late.", {"allow": ["rest assured"]}),
        "A great many questions",
    )
    bad: ClassVar = (
        "Rest assured it is late.",
        "Please be advised: it is late.",
        "As an AI, I can't say.",
        "Thank you for your patience!",
        "We apologise for any inconvenience.",
        "I hope\nthis helps.",
        "Great question! It is late.",
        "Let me know if you need more.",
        Example("Ahoy there, it is late.", {"also": ["ahoy there"]}),
    )

    def __init__(self, options: StockPhraseOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        allowed = {_folded(phrase) for phrase in options.allow}
        wanted = {_folded(phrase) for phrase in (*PHRASES, *options.also)} - allowed - {""}
        self._pattern = _pattern(tuple(sorted(wanted)))
        self._phrases = wanted

    @classmethod
    def resolved(cls, options: StockPhraseOptions, reply: ReplyShape) -> dict[str, Any]:
        return {"usual": digest(PHRASES), **super().resolved(options, reply)}

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if self._pattern is None or not self._may_hold_one(answer.text):
            return [_NONE_FOUND]
        spans = tuple(
            Span(match.start(), match.end(), f"stock phrase “{_folded(match.group())}”")
            for match in self._pattern.finditer(answer.text)
        )
        if not spans:
            return [_NONE_FOUND]
        names = list(dict.fromkeys(span.note.removeprefix("stock phrase ") for span in spans))
        return [Finding("", False, f"Stock phrase {', '.join(names)}.", spans)]

    def _may_hold_one(self, text: str) -> bool:
        """Whether a phrase stands in it, whole words or not: most answers end here, 10 times sooner."""
        folded = _folded(text).replace("ı", "i")  # which the pattern takes to be one
        return any(phrase in folded for phrase in self._phrases)


_NONE_FOUND = Finding("", True, "No stock phrase found.")


def _folded(phrase: str) -> str:
    return " ".join(phrase.replace("’", "'").casefold().split())


@lru_cache(maxsize=64)
def _pattern(phrases: tuple[str, ...]) -> re.Pattern[str] | None:
    """One pattern for all: any white space between words, either apostrophe, whole words only."""
    if not phrases:
        return None
    longest_first = sorted(phrases, key=len, reverse=True)
    each = (
        r"\s+".join(re.escape(word).replace("'", "['’]") for word in phrase.split())
        for phrase in longest_first
    )
    return re.compile(rf"(?<!\w)(?:{'|'.join(each)})(?!\w)", re.IGNORECASE)
