"""Citations such as [2]: the passage is there, and says what the sentence says."""

from __future__ import annotations

import re
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.grounding.support import MOST_PHRASE, chosen_sources, read, told_in
from epistem.core.checks.grounding.wordings import declines, says_unknown
from epistem.core.checks.shapes import MOST_LOOKED_AT, MOST_SPANS, in_words
from epistem.core.language.reading import Piece, sentences
from epistem.core.shapes import count

_CITED = re.compile(r"\[(\d{1,4}(?:\s*(?:[,;]|-|–)\s*\d{1,4})*)\]")
_ALONE = re.compile(r"\s*(?:\[[\d,;\s–-]+\]\s*)+[.!]?\s*")
MOST_OF_RANGE = 50


class CitingOptions(Options):
    every: bool = Field(
        True,
        title="Every statement cites",
        description="Off: only the citations that are there are looked at.",
    )
    least: float = Field(
        60,
        ge=0,
        le=100,
        title="Words of the passage",
        description="Of the sentence's telling words, in percent, that stand in what it cites.",
    )
    sources: list[str] = Field(
        default_factory=list,
        max_length=50,
        title="Sources",
        description="Names of inputs; empty for lists of passages.",
    )


_PASSAGES = {
    "question": "May my dog come, and when does the last boat leave?",
    "notices": [
        {
            "title": "Winter",
            "text": "The last boat leaves Sandray at 18:45. There is no boat on Sundays.",
        },
        {"title": "Animals", "text": "Dogs travel free on a lead. They must not sit on seats."},
    ],
}


def _asked(text: str, **options: Any) -> Example:
    return Example(text, options, _PASSAGES)


class Cites(Check):
    key = "grounding.citations"
    version = 1
    kind = "grounding"
    summary = "Every statement cites a passage, as [2]; the passage is there and has the telling words of the sentence."
    also_called = ("citation", "reference", "footnote", "source", "attribution", "quote")
    aspects = (Aspect("", "cites what says so"),)
    unit = "percent"
    aim = "more"
    score_margin = 5.0
    libraries = ("snowballstemmer",)
    Options: ClassVar[type[Options]] = CitingOptions
    good: ClassVar = (
        _asked("Dogs travel free on a lead [2]."),
        _asked("The last boat leaves Sandray at 18:45 [1]. Dogs travel free [2]."),
        _asked("There is no boat on Sundays. [1]"),
        _asked("Dogs travel free, and the last boat leaves at 18:45 [1, 2]."),
        _asked("Thank you for asking! Dogs must not sit on seats [2]."),
        _asked(""),
        _asked("The notices do not say whether cats may come."),
        _asked("It is cold at night.", every=False),
        _asked("Dogs travel free [1-2]."),
        Example("It costs 4 euros [1].", {"sources": ["fare"]}, {"fare": "It costs 4 euros."}),
    )
    bad: ClassVar = (
        _asked("Dogs travel free on a lead."),
        _asked("Dogs travel free on a lead [1]."),
        _asked("Dogs travel free on a lead [3]."),
        _asked("The last boat leaves Sandray at 18:45 [2]."),
        _asked("Cats pay half the adult fare [2].", every=False),
        _asked("Dogs travel free [0]."),
        _asked("Dogs travel free [2]. The harbour closes at midnight."),
        _asked("Dogs travel free [2-9]."),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return (
            "every statement cites a passage that says so"
            if options.every
            else "what is cited says so"
        )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        sources, rest = chosen_sources(ground, self.options.sources)
        given = read(tuple(source.text for source in sources))
        known = [told.stems for told in given.each]
        neutral = told_in(rest).stems
        spans: list[Span] = []
        stated = right = 0
        used: list[str] = []
        for piece in _with_their_marks(text):
            said = text[piece.start : piece.end]
            marks = list(_CITED.finditer(said))
            phrase = _CITED.sub("", said)[:MOST_PHRASE]
            if not marks and (
                phrase.rstrip("\"'”’) ").endswith("?") or says_unknown(phrase) or declines(phrase)
            ):
                continue
            cited = [number for mark in marks for number in _numbers(mark[1])]
            strange = [n for n in cited if not 1 <= n <= len(sources)]
            telling = {
                stem for stem in told_in(phrase).stems if stem not in neutral or stem in given.stems
            }
            if not telling and not strange:
                continue
            stated += 1
            there = [n for n in cited if 1 <= n <= len(sources)]
            if not cited:
                if self.options.every:
                    spans.append(Span(piece.start, piece.end, "cites nothing"))
                else:
                    stated -= 1
                continue
            if strange:
                note = (
                    f"there {'is' if len(sources) == 1 else 'are'} {count(len(sources), 'passage')}"
                )
                spans.append(
                    Span(piece.start + marks[0].start(), piece.start + marks[-1].end(), note)
                )
                continue
            shared = {stem for stem in telling if any(stem in known[n - 1] for n in there)}
            strange_number = any(stem[0].isdigit() for stem in telling - shared)
            if strange_number or (
                telling and 100 * len(shared) / len(telling) < self.options.least
            ):
                spans.append(Span(piece.start, piece.end, "the passage does not say so"))
                continue
            right += 1
            used += [sources[n - 1].ref for n in there]
        if not stated:
            return [
                Finding(
                    "", True, "It states nothing that would need a source.", (), 100.0, "percent"
                )
            ]
        score = round(100 * right / stated, 2)
        refs = tuple(dict.fromkeys(used))[:20]
        told = f"{right} of {count(stated, 'statement')} cited rightly"
        if not spans:
            return [Finding("", True, f"{told}.", (), score, "percent", (), refs)]
        marked = tuple(spans[:MOST_SPANS])
        return [
            Finding(
                "", False, f"{told}; {in_words(text, marked)}", marked, score, "percent", (), refs
            )
        ]


def _with_their_marks(text: str) -> list[Piece]:
    """Sentences, each with the marks that stand alone behind its stop."""
    found: list[Piece] = []
    for piece in sentences(text):
        said = text[piece.start : piece.end]
        lead = _ALONE.match(said)
        if found and lead:
            found[-1] = Piece(found[-1].start, piece.start + lead.end())
            if lead.end() < len(said):
                found.append(Piece(piece.start + lead.end(), piece.end))
        else:
            found.append(piece)
    return found


def _numbers(told: str) -> list[int]:
    """`1, 3-5` as 1, 3, 4, 5."""
    found: list[int] = []
    for part in re.split(r"[,;]", told):
        ends = [int(each) for each in re.split(r"[-–]", part) if each.strip()]
        if len(ends) == 2 and ends[0] <= ends[1]:
            found += range(ends[0], min(ends[1], ends[0] + MOST_OF_RANGE) + 1)
        else:
            found += ends
    return found
