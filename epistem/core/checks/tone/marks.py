"""Exclamation marks, shouted words and questions: how many there are."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Options, Span
from epistem.core.checks.reading import sentences
from epistem.core.checks.shapes import Bounds, WithinBounds

_EXCLAIMED = re.compile(r"(?<![!=<>\w/])!(?=\w)|(?<=[\w\s.\"'”’)\]?…])!+(?!=)|！+")
_SHOUTED = re.compile(
    r"(?<![\w.@/#_’'-])[A-Z][A-Z’']++(?:[ ,]++[A-Z][A-Z’']++)+(?![\w@])"
    r"|(?<![\w.@/#_’'-])[A-Z]{6,}+(?![\w@-]|\.\w)"
)
_QUESTION = re.compile(r"[?？][\"'”’)\]]*\s*$")


class ExclamationOptions(Bounds):
    most: float | None = Field(0, ge=0, le=1e9, title="At most")


class Exclamations(WithinBounds):
    key = "tone.exclamation"
    version = 1
    kind = "tone"
    summary = "So many exclamation marks and no more."
    also_called = ("calm", "excited", "shouting", "no exclamation")
    aspects = (Aspect("", "exclamation marks"),)
    Options: ClassVar[type[Options]] = ExclamationOptions
    unit = "exclamation mark"
    good: ClassVar = (
        "The boat is late.",
        "if (a != b) return",
        "![a picture](x.png)",
        "",
        Example("Good!", {"most": 1}),
        Example("Good!!!", {"most": 1}),
        Example("Wow! Good!", {"most": 2}),
        "n factorial is written with a mark",
    )
    bad: ClassVar = (
        "Good!",
        "“Stop!” she said.",
        "Really?!",
        "Good! Very good!",
        "好！",
        Example("One! Two! Three!", {"most": 2}),
        Example("Good.", {"least": 1, "most": None}),
        "Thank you so much!!!",
    )

    def number(self, text: str) -> float:
        return float(sum(1 for _ in _EXCLAIMED.finditer(text)))

    def beyond(self, text: str) -> Iterable[Span]:
        for at, match in enumerate(_EXCLAIMED.finditer(text)):
            if at >= (self.options.most or 0):
                yield Span(match.start(), match.end(), "one too many")


class Shouting(WithinBounds):
    key = "tone.capitals"
    version = 1
    kind = "tone"
    summary = (
        "So many shouted places and no more: words in capitals, but for short names such as PDF."
    )
    also_called = ("uppercase", "shouting", "caps", "calm")
    aspects = (Aspect("", "shouted words"),)
    Options: ClassVar[type[Options]] = ExclamationOptions
    unit = "shouted place"
    good: ClassVar = (
        "The boat is late.",
        "The PDF and the HTML file",
        "Set EPISTEM_KEY_HARBOUR first.",
        "I am here.",
        "It is a PDF, not a DOCX.",
        "A4 and B2B",
        "",
        Example("This is IMPORTANT.", {"most": 1}),
    )
    bad: ClassVar = (
        "This is IMPORTANT.",
        "DO NOT go there.",
        "READ THIS FIRST",
        "You MUST NOT smoke.",
        "That is ABSOLUTELY right.",
        "THE BOAT IS LATE",
        Example("IMPORTANT and SERIOUSLY", {"most": 1}),
        Example("calm", {"least": 1, "most": None}),
    )

    def number(self, text: str) -> float:
        return float(sum(1 for _ in _SHOUTED.finditer(text)))

    def beyond(self, text: str) -> Iterable[Span]:
        for at, match in enumerate(_SHOUTED.finditer(text)):
            if at >= (self.options.most or 0):
                yield Span(match.start(), match.end(), "shouted")


class QuestionOptions(Bounds):
    most: float | None = Field(1, ge=0, le=1e9, title="At most")


class Questions(WithinBounds):
    key = "tone.questions"
    version = 1
    kind = "tone"
    summary = "So many questions and no more: one at a time, say."
    also_called = ("ask", "one question at a time", "question mark")
    aspects = (Aspect("", "questions"),)
    Options: ClassVar[type[Options]] = QuestionOptions
    unit = "question"
    good: ClassVar = (
        "What colour is it?",
        "It is late.",
        "Really?? What a pity.",
        "Thank you. Where did you leave it?",
        "See https://pier.example/?day=2 and ?x=1",
        "",
        Example("Who? Where?", {"most": 2}),
        Example("Who is it?", {"least": 1}),
        "何時ですか？",
    )
    bad: ClassVar = (
        "What colour is it? Where did you leave it?",
        "Who? When? Where?",
        "- What colour?\n- Which boat?",
        "Is it red? Or is it blue?",
        Example("It is late.", {"least": 1, "most": None}),
        Example("Is it?", {"most": 0}),
        "何時ですか？どこですか？",
        "“Is it so?” she asked. And is it?",
    )

    def number(self, text: str) -> float:
        return float(sum(1 for piece in sentences(text) if _asks(text[piece.start : piece.end])))

    def beyond(self, text: str) -> Iterable[Span]:
        asked = [p for p in sentences(text) if _asks(text[p.start : p.end])]
        for piece in asked[int(self.options.most or 0) :]:
            yield Span(piece.start, piece.end, "one too many")


def _asks(sentence: str) -> bool:
    return bool(_QUESTION.search(sentence)) or bool(
        re.search(r"\?[”\"] (?:she|he|they|I) \w+\.?$", sentence)
    )
