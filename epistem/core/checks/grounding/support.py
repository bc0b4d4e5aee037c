"""Whether what an answer states stands in what it was given: sentence by sentence, word by word."""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any, ClassVar, NamedTuple

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
from epistem.core.checks.grounding.wordings import declines, says_unknown
from epistem.core.checks.shapes import MOST_LOOKED_AT, MOST_SPANS
from epistem.core.checks.sources import Source, in_words, sources_of
from epistem.core.language.little import LITTLE
from epistem.core.language.reading import Piece, sentences, words
from epistem.core.language.stems import stem

_COURTEOUS_WORDS = """
understand completely appreciate patience reach assure hesitate great
please thank thanks sorry glad welcome hope help happy hello hi dear kind regards sincerely apologise
apologize know let contact ask question questions message answer yes ok okay sure course day good best wish
wishes desk feel free need anything else enjoy keep take bring come go make use get see like want
"""
_DENYING_WORDS = """
no not never none neither nor cannot without can't don't won't isn't aren't doesn't didn't
"""
_COURTESY = frozenset(stem(word) for word in _COURTEOUS_WORDS.split())
"""Said in every second answer: they state nothing."""
_NOT = frozenset(_DENYING_WORDS.split())
_NUMBER = re.compile(r"\d+")


MOST_PHRASE = 2_000
"""Characters of a sentence that are looked at for “I do not know” and the like."""


class Told(NamedTuple):
    """The stems of a piece of text that say something, and whether it denies."""

    stems: frozenset[str]
    denies: bool


@lru_cache(maxsize=50_000)
def keys_of(word: str) -> frozenset[str]:
    """What a word may be known by: its stem, those of the halves of a hyphenated one, its numbers as digits.
    Nothing for little words, courtesies and single letters."""
    low = word.lower().replace("’", "'").removesuffix("'s")
    if low in LITTLE or (len(low) < 2 and not low.isdigit()) or stem(low) in _COURTESY:
        return frozenset()
    if numbers := _NUMBER.findall(low):
        return frozenset([":".join(each.lstrip("0") or "0" for each in numbers)])
    if "-" not in low:
        return frozenset([stem(low)])
    return frozenset([stem(low.replace("-", "")), *(stem(half) for half in low.split("-") if half)])


@lru_cache(maxsize=50_000)
def denies(word: str) -> bool:
    return word.lower().replace("’", "'") in _NOT


@lru_cache(maxsize=256)
def told_in(text: str) -> Told:
    said = [text[piece.start : piece.end] for piece in words(text)]
    return Told(frozenset().union(*map(keys_of, said)), any(map(denies, said)))


class Read(NamedTuple):
    """Sources as they are read for all answers to a case: each, all together, and each of their sentences."""

    each: tuple[Told, ...]
    stems: frozenset[str]
    sentences: tuple[Told, ...]


@lru_cache(maxsize=32)
def read(texts: tuple[str, ...]) -> Read:
    """Kept for the answers to come: a case may have thousands of passages."""
    each = tuple(told_in(text) for text in texts)
    stated = tuple(told_in(text[s.start : s.end]) for text in texts for s in sentences(text))
    return Read(each, frozenset().union(*(told.stems for told in each)), stated)


def chosen_sources(ground: Ground, names: list[str]) -> tuple[list[Source], str]:
    """The sources, and all other inputs as one text. Unless they are named, lists are the sources where
    there are any, else everything is."""
    inputs = dict(ground.inputs)
    if not names:
        names = [name for name, value in inputs.items() if isinstance(value, list)]
    found = sources_of(inputs, names)
    rest = {name: value for name, value in inputs.items() if names and name not in names}
    return found, in_words(rest)


class SupportOptions(Options):
    least: float = Field(
        70,
        ge=0,
        le=100,
        title="Words known",
        description="Of a sentence, in percent, for it to count as supported.",
    )
    sources: list[str] = Field(
        default_factory=list,
        max_length=50,
        title="Sources",
        description="Names of inputs; empty for lists of passages, or all inputs where there is no list.",
    )


_NOTICES = {
    "message": "When does the last boat leave Sandray, and may my dog come?",
    "notices": [
        {
            "title": "Winter",
            "text": "The last boat leaves Sandray at 18:45. There is no boat on Sundays.",
        },
        {"title": "Animals", "text": "Dogs travel free on a lead. They must not sit on seats."},
    ],
}


def _asked(text: str, options: dict[str, Any] | None = None) -> Example:
    return Example(text, options or {}, _NOTICES)


class Supported(Check):
    key = "grounding.supported"
    version = 1
    kind = "grounding"
    summary = (
        "Each sentence is supported by the sources: its telling words, numbers and names stand there, "
        "and no less is denied."
    )
    also_called = (
        "hallucination",
        "faithful",
        "grounded",
        "made up",
        "source",
        "passages",
        "attribution",
    )
    aspects = (Aspect("", "supported by the sources"),)
    unit = "percent"
    aim = "more"
    score_margin = 5.0
    libraries = ("snowballstemmer",)
    Options: ClassVar[type[Options]] = SupportOptions
    good: ClassVar = (
        _asked("The last boat leaves Sandray at 18:45."),
        _asked("Dogs travel free, on a lead."),
        _asked("Your dog may come for free. Keep it on a lead!"),
        _asked("There is no boat on Sundays."),
        _asked("Thank you for your message. We hope this helps."),
        _asked("When would you like to travel?"),
        _asked("The notices do not say whether there is a bar on board."),
        _asked(""),
        _asked("The last boat from Sandray leaves at 18.45, and dogs must not sit on seats."),
        Example(
            "It costs 4 euros.", {"sources": ["fare"]}, {"fare": {"costs": "4 euros"}, "other": "x"}
        ),
        _asked("The last boat leaves Sandray at 18:45. It is cold there.", {"least": 0}),
    )
    bad: ClassVar = (
        _asked("The last boat leaves Sandray at 19:45."),
        _asked("Dogs pay half the adult fare and wear a muzzle."),
        _asked("There is a boat on Sundays."),
        _asked("The last boat leaves Sandray at 18:45. A small charge of ten may apply."),
        _asked("You can book online with our telephone app."),
        _asked("Dogs must sit on seats."),
        _asked("The harbour master closes the gate at midnight."),
        Example(
            "It costs 9 euros.", {"sources": ["fare"]}, {"fare": {"costs": "4 euros"}, "other": "9"}
        ),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return "every sentence is supported by the sources"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        sources, rest = chosen_sources(ground, self.options.sources)
        given = read(tuple(source.text for source in sources))
        known = given.stems
        neutral = told_in(rest).stems
        stated = supported = 0
        spans: list[Span] = []
        used: list[str] = []
        waiting = deque(words(text))
        for piece in sentences(text):
            told = [(w, text[w.start : w.end]) for w in _until(waiting, piece.end)]
            said = text[piece.start : piece.end]
            phrase = said[:MOST_PHRASE]
            if said.rstrip("\"'”’) ").endswith("?") or says_unknown(phrase) or declines(phrase):
                continue
            stems: set[str] = set()
            strange: list[Piece] = []
            telling, denied, numbers = 0, False, False
            for w, word in told:
                keys = keys_of(word)
                denied = denied or denies(word)
                if not keys:
                    continue
                stems |= keys
                if not keys.isdisjoint(known):
                    telling += 1
                elif word[0].isdigit() or keys.isdisjoint(neutral):
                    telling += 1
                    strange.append(w)
                    numbers = numbers or word[0].isdigit()
            if not telling:
                continue
            stated += 1
            share = 100 * (telling - len(strange)) / telling
            mine = Told(frozenset(stems), denied)
            turned = _turned(mine, given.sentences)
            if share >= self.options.least and not numbers and not turned:
                supported += 1
                used += [
                    source.ref
                    for source, told_there in zip(sources, given.each, strict=True)
                    if len(told_there.stems & mine.stems) >= 2
                ]
            elif turned and not strange:
                spans.append(Span(piece.start, piece.end, "the sources say otherwise"))
            elif len(spans) < MOST_SPANS:
                spans += [Span(w.start, w.end, "not in the sources") for w in strange[:MOST_SPANS]]
        if not stated:
            return [Finding("", True, "It states nothing.", (), 100.0, "percent")]
        score = round(100 * supported / stated, 2)
        refs = tuple(dict.fromkeys(used))[:20]
        message = f"{supported} of {stated} statements supported"
        if supported == stated:
            return [Finding("", True, f"{message}.", (), score, "percent", (), refs)]
        marked = tuple(spans[:MOST_SPANS])
        shown = ", ".join(f"“{text[s.start : s.end][:40]}”" for s in marked[:4])
        return [
            Finding(
                "",
                False,
                f"{message}; not in the sources: {shown}.",
                marked,
                score,
                "percent",
                (),
                refs,
            )
        ]


def _turned(mine: Told, stated: Sequence[Told]) -> bool:
    """Whether the sentence of the sources that is nearest denies where this one does not, or the other way
    round."""
    if len(mine.stems) < 2:
        return False
    best, other = 0.0, mine.denies
    for told in stated:
        shared = len(mine.stems & told.stems) / len(mine.stems)
        if shared > best or (shared == best and told.denies == mine.denies):
            best, other = shared, told.denies
    return best >= 0.65 and other != mine.denies


def _until(waiting: deque[Piece], end: int) -> Iterator[Piece]:
    """The words before that place, taken from those that wait."""
    while waiting and waiting[0].start < end:
        yield waiting.popleft()
