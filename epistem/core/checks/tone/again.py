"""Turns of a talk that begin, end or go on in the same words as the one before."""

from __future__ import annotations

import re
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.shapes import MOST_LOOKED_AT, in_words
from epistem.core.language.reading import Piece, sentences, words

_LEAST_WORDS = 2
MOST_EARLIER = 20_000
"""Characters of each earlier answer that are looked at."""
_EMOJI = re.compile("[\U0001f300-\U0001faff☀-➿]")


class AgainOptions(Options):
    run: int = Field(
        7,
        ge=3,
        le=100,
        title="Words in a row",
        description="So many that stood in an earlier answer, too, are a repeat.",
    )
    emoji: bool = Field(True, title="Nor the same emoji again")


def _talk(text: str, *earlier: str, **options: Any) -> Example:
    before = tuple(
        turn for said in earlier for turn in (("assistant", said), ("user", "And then?"))
    )
    return Example(text, options, before=before)


class NotAgain(Check):
    key = "tone.again"
    version = 1
    kind = "tone"
    summary = (
        "An answer does not begin or end like an earlier one of the talk, nor repeat a long run of "
        "its words."
    )
    also_called = (
        "repetition",
        "same closing",
        "same opening",
        "machine",
        "robotic",
        "repeats itself",
        "n-gram",
    )
    aspects = (Aspect("", "says it in other words each time"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = AgainOptions
    good: ClassVar = (
        _talk("Sow them in March."),
        _talk("Sow them in March.", "Roses climb best on a south wall."),
        _talk("Yes.", "Yes."),
        _talk("Water it. Call me.", "Prune it. Write to me."),
        _talk("", "Something."),
        _talk("Peas want a fence to climb.", "Do peas want a fence? They do."),
        _talk("Nice 🙂", "Good 🌱"),
        _talk("Nice 🙂", "Good 🙂", emoji=False),
        _talk("The pot stands in the sun.", "The pot stands in shade."),
    )
    bad: ClassVar = (
        _talk("Great question! In March.", "Great question! On a wall."),
        _talk(
            "In March. Let me know if you need more.", "On a wall. Let me know if you need more."
        ),
        _talk("great  question! In May.", "Great question! On a wall.", "Something else."),
        _talk("Nice 🙂", "Good 🙂"),
        _talk("Same as ever.", "Same as ever."),
        _talk(
            "You should water the young plants every day in May.",
            "In April you should water the young plants every day, too.",
        ),
        _talk("You said so, water the young plants now", "Please water the young plants", run=4),
        _talk("Thank you for asking. Yes.", "Thank you for asking. No."),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return "says it in other words each time"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        earlier = [turn.text[:MOST_EARLIER] for turn in answer.before if turn.role == "assistant"]
        if not earlier:
            return []
        text = answer.text[:MOST_LOOKED_AT]
        spans = self._ends(text, earlier)
        spans += [
            s
            for s in self._runs(text, earlier)
            if not any(s.start < e.end and e.start < s.end for e in spans)
        ]
        if self.options.emoji:
            used = set(_EMOJI.findall("".join(earlier)))
            spans += [
                Span(m.start(), m.end(), "the same emoji")
                for m in _EMOJI.finditer(text)
                if m[0] in used
            ]
        told = tuple(sorted(spans[:100], key=lambda span: span.start))
        if told:
            return [Finding("", False, in_words(text, told), told)]
        return [Finding("", True, "In other words than before.")]

    def _ends(self, text: str, earlier: list[str]) -> list[Span]:
        found: list[Span] = []
        for which, note in (
            (0, "begins like an earlier answer"),
            (-1, "ends like an earlier answer"),
        ):
            mine = _end(text, which)
            if mine is None or any((s.start, s.end) == mine for s in found):
                continue
            said = _plain(text[mine.start : mine.end])
            if len(said.split()) >= _LEAST_WORDS and any(
                (other := _end(told, which)) and _plain(told[other.start : other.end]) == said
                for told in earlier
            ):
                found.append(Span(mine.start, mine.end, note))
        return found

    def _runs(self, text: str, earlier: list[str]) -> list[Span]:
        size = self.options.run
        known: set[tuple[str, ...]] = set()
        for told in earlier[-20:]:
            low = [told[w.start : w.end].lower() for w in words(told)]
            known |= {tuple(low[at : at + size]) for at in range(len(low) - size + 1)}
        mine = words(text)
        low = [text[w.start : w.end].lower() for w in mine]
        spans: list[Span] = []
        for at in range(len(low) - size + 1):
            if tuple(low[at : at + size]) in known:
                start, end = mine[at].start, mine[at + size - 1].end
                if spans and start <= spans[-1].end:
                    spans[-1] = Span(spans[-1].start, end, spans[-1].note)
                else:
                    spans.append(Span(start, end, "stood so in an earlier answer"))
        return spans


def _end(text: str, which: int) -> Piece | None:
    found = sentences(text)
    return found[which] if found else None


def _plain(text: str) -> str:
    return " ".join(text[w.start : w.end].lower() for w in words(text))
