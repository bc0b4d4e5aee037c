"""Exclamation marks, shouted words and questions: how many there are."""

from __future__ import annotations

import re
from typing import ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options
from epistem.core.checks.shapes import Bounds, CountOf
from epistem.core.language.reading import sentences

_EXCLAIMED = re.compile(r"(?<![!=<>\w/])!(?=\w)|(?<=[\w\s.\"'”’)\]?…])!+(?!=)|！+")
_SHOUTED = re.compile(
    r"(?<![\w.@/#_’'-])[A-Z][A-Z’']++(?:[ ,]++[A-Z][A-Z’']++)+(?![\w@])"
    r"|(?<![\w.@/#_’'-])[A-Z]{6,}+(?![\w@-]|\.\w)"
)
_QUESTION = re.compile(r"[?？][\"'”’)\]]*\s*$")


class ExclamationOptions(Bounds):
    most: float | None = Field(0, ge=0, le=1e9, title="At most")


class Exclamations(CountOf):
    key = "tone.exclamation"
    version = 1
    kind = "tone"
    summary = "So many exclamation marks and no more."
    also_called = ("calm", "excited", "shouting", "no exclamation")
    aspects = (Aspect("", "exclamation marks"),)
    Options: ClassVar[type[Options]] = ExclamationOptions
    unit = "exclamation mark"
    repairs = True
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

    def places(self, text: str) -> list[tuple[int, int]]:
        return [match.span() for match in _EXCLAIMED.finditer(text)]

    def repair(self, text: str, ground: Ground) -> str:
        """With full stops in the place of those beyond the most."""
        if self.options.most is None:
            return text
        ends = {True: "。", False: "."}
        for start, end in reversed(self.places(text)[int(self.options.most) :]):
            mark = ends[text[start] == "！"]
            stop = "" if text[start - 1 : start] in (".", "?", "…") else mark
            text = text[:start] + stop + text[end:]
        return text


class Shouting(CountOf):
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
    note = "shouted"
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

    def places(self, text: str) -> list[tuple[int, int]]:
        return [match.span() for match in _SHOUTED.finditer(text)]


class QuestionOptions(Bounds):
    most: float | None = Field(1, ge=0, le=1e9, title="At most")


class Questions(CountOf):
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

    def places(self, text: str) -> list[tuple[int, int]]:
        return [(p.start, p.end) for p in sentences(text) if _asks(text[p.start : p.end])]


def _asks(sentence: str) -> bool:
    return bool(_QUESTION.search(sentence)) or bool(
        re.search(r"\?[”\"] (?:she|he|they|I) \w+\.?$", sentence)
    )
