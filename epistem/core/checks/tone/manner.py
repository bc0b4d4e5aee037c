"""How formal, how passive and how abstract a text is, by shares of its words and sentences."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Options, Span
from epistem.core.checks.shapes import Bounds, WithinBounds
from epistem.core.checks.tone.classes import class_of
from epistem.core.language.reading import sentences, words

FEWEST_WORDS = 8
"""A text of fewer words has no share worth the name."""
_LATIN = re.compile(r"[A-Za-z]")
_STIFF = (
    "Passengers are requested to submit the relevant documentation of their reservation to the office of the "
    "administration for verification."
)
_EASY = "Hi! I think you just left it here, so we keep it now. Come and get it when you like, ok?"
_PLAIN = "We keep your bag at the desk. You can pick it up on Monday. Bring your ticket with you."


def _english(text: str) -> list[str]:
    """Its words; none where they are too few, or most are not in Latin letters."""
    said = [text[w.start : w.end] for w in words(text)]
    latin = sum(bool(_LATIN.search(word)) for word in said)
    return said if len(said) >= FEWEST_WORDS and latin >= 0.7 * len(said) else []


def formality(text: str) -> float | None:
    """The F-score of Heylighen and Dewaele (1999), 0–100: half of 100 and the shares, in percent, of nouns,
    adjectives, prepositions and articles, less those of pronouns, verbs, adverbs and interjections. None for
    a few words. Word classes are told by rule (`classes`)."""
    said = _english(text)
    if not said:
        return None
    counts = Counter(class_of(word) for word in said)
    share = {name: 100 * number / len(said) for name, number in counts.items()}
    up = sum(share.get(name, 0.0) for name in ("noun", "adjective", "preposition", "article"))
    down = sum(share.get(name, 0.0) for name in ("pronoun", "verb", "adverb", "interjection"))
    return (up - down + 100) / 2


class FormalityOptions(Bounds):
    least: float | None = Field(
        None, ge=0, le=100, title="At least", description="Letters to offices: about 65."
    )
    most: float | None = Field(
        60, ge=0, le=100, title="At most", description="Talk among friends: about 40."
    )


class Formality(WithinBounds):
    key = "tone.formality"
    version = 1
    kind = "tone"
    summary = "How formal it is, by the F-score of Heylighen and Dewaele (0 to 100). English; few words have none."
    also_called = ("formal", "informal", "casual", "register", "stiff", "friendly")
    aspects = (Aspect("", "formality"),)
    Options: ClassVar[type[Options]] = FormalityOptions
    unit = "point"
    score_margin = 3.0
    good: ClassVar = (
        _EASY,
        _PLAIN,
        "Yes.",
        "",
        Example(_STIFF, {"most": None, "least": 65}),
        Example(_EASY, {"most": 45}),
        Example(_PLAIN, {"least": 40, "most": 65}),
        "I am sorry that you had to wait. We will look for it and write to you as soon as we can.",
    )
    bad: ClassVar = (
        _STIFF,
        "Submission of the application form to the regional office is a condition of the reimbursement of expenses.",
        Example(_EASY, {"most": None, "least": 60}),
        Example(_PLAIN, {"most": None, "least": 70}),
        Example(_PLAIN, {"most": 30}),
        "Compensation for cancellation of ferry services is subject to the conditions of carriage of the company.",
        Example("I think that you can do it if you really want to.", {"most": None, "least": 50}),
        "Presentation of valid identification documents at the terminal is mandatory for international passengers.",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"formality {_range(options.least, options.most)}"

    def tell(self, number: float) -> str:
        return f"formality {number:.0f}"

    def number(self, text: str) -> float | None:
        return formality(text)


_PARTICIPLES = (
    "been begun bitten blown borne bought bound broken brought built burnt caught chosen cut dealt done drawn "
    "driven eaten "
    "fed felt found forgotten forgiven frozen given gone grown heard held hidden hit hurt kept known laid led "
    "left lent let "
    "lit lost made meant met paid put read rung said seen sent set sewn shaken shot shown shut sold spent "
    "split spoken spread "
    "stolen struck sworn swept taken taught thought thrown told torn understood woken won worn withdrawn written"
)
_NO_DEED_WORDS = """
indeed hundred sacred naked wicked rugged ragged kindred hatred speed
interested tired married excited pleased worried used supposed located based closed delighted scared bored
limited related concerned involved needed allowed expected
"""
_NO_DEED = frozenset(_NO_DEED_WORDS.split())
_PASSIVE = re.compile(
    r"\b(?:am|is|are|was|were|be|been|being|gets?|got|'s|’s)\s+(?:(?:not|also|always|never|often|already|now|"
    r"only|still|"
    rf"being|been|\w{{2,20}}ly)\s+){{0,3}}(\w{{2,20}}ed|{'|'.join(_PARTICIPLES.split())})\b(?!\s+to\s+be\s+able)",
    re.I,
)


class PassiveOptions(Bounds):
    least: float | None = Field(None, ge=0, le=100, title="At least")
    most: float | None = Field(
        20, ge=0, le=100, title="At most", description="Percent of the sentences."
    )


class Passive(WithinBounds):
    key = "tone.passive"
    version = 1
    kind = "tone"
    summary = "So large a share of the sentences is in the passive voice, and no more. English."
    also_called = ("active voice", "passive voice", "who does it", "plain language")
    aspects = (Aspect("", "passive sentences"),)
    Options: ClassVar[type[Options]] = PassiveOptions
    unit = "percent"
    aim = "less"
    score_margin = 5.0
    good: ClassVar = (
        "We found your bag. You can pick it up.",
        "I am interested in the boat. She is tired.",
        "The office is closed on Sunday.",
        "They have sent it. He had written a letter.",
        "",
        "Yes.",
        "It is red. The bread is good.",
        Example("Your bag was found. We keep it.", {"most": 50}),
        Example("Mistakes were made.", {"most": None, "least": 100}),
    )
    bad: ClassVar = (
        "Your bag was found on the pier.",
        "Mistakes were made.",
        "The ticket has been sent to you. We wish you a good day.",
        "It is not always known where the boat is.",
        "The form must be completed. The fee is then paid by card.",
        "It got stolen.",
        "A refund will be quickly given.",
        Example("We found it.", {"most": None, "least": 50}),
        "The letter is being written.",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"{_range(options.least, options.most)} percent of the sentences are passive"

    def tell(self, number: float) -> str:
        return f"{number:.0f} percent of the sentences are passive"

    def number(self, text: str) -> float | None:
        told = sentences(text)
        if not told:
            return None
        starts = {start for start, _ in _passives(text)}
        hit = (
            sum(any(piece.start <= at < piece.end for at in starts) for piece in told)
            if starts
            else 0
        )
        return 100.0 * hit / len(told)

    def beyond(self, text: str) -> Iterable[Span]:
        for start, end in _passives(text):
            yield Span(start, end, "passive")


def _passives(text: str) -> list[tuple[int, int]]:
    return [match.span() for match in _PASSIVE.finditer(text) if match[1].lower() not in _NO_DEED]


_ABSTRACT = re.compile(
    r"\b[a-z]{2,20}(?:ations?|itions?|utions?|ctions?|ssions?|isions?|ments?|ness(?:es)?|ilit(?:y|ies)|"
    r"[ai]?vit(?:y|ies)|"
    r"arit(?:y|ies)|icit(?:y|ies)|ances?|ences?|isms?|ships?|hoods?|ologies|ology|ization|isation)\b",
    re.I,
)
_CONCRETE_WORDS = """
station stations apartment apartments moment moments garment garments basement document documents department
harness witness business fence fences sentence sentences audience ambulance entrance entrances ship ships
instrument instruments monument pavement cement section sections question questions comment comments payment
payments appointment appointments evidence city cities witnesses investment
"""
_CONCRETE = frozenset(_CONCRETE_WORDS.split())
_JARGON = (
    "The implementation of accessibility improvements requires the cooperation and commitment of the "
    "administration."
)


class ConcreteOptions(Bounds):
    least: float | None = Field(None, ge=0, le=100, title="At least")
    most: float | None = Field(
        6, ge=0, le=100, title="At most", description="Percent of the words."
    )


class Concrete(WithinBounds):
    key = "tone.concrete"
    version = 1
    kind = "tone"
    summary = "Things rather than notions: at most so large a share of abstract nouns (-tion, -ment, -ness …). English."
    also_called = ("abstract", "jargon", "nominalisation", "plain language", "vague", "specific")
    aspects = (Aspect("", "abstract nouns"),)
    Options: ClassVar[type[Options]] = ConcreteOptions
    unit = "percent"
    aim = "less"
    score_margin = 2.0
    good: ClassVar = (
        _PLAIN,
        "The bus stops at the station, and the entrance is behind the fence next to the ship.",
        "Yes.",
        "",
        "Bring a coat, a hat and warm boots; it is cold on deck at night in May.",
        "Your payment came on Monday, and we sent the documents to your apartment on Tuesday.",
        Example(_JARGON, {"most": 50}),
        Example(_JARGON, {"most": None, "least": 20}),
    )
    bad: ClassVar = (
        _JARGON,
        _STIFF,
        "The utilisation of the facility is subject to authorisation by the management of the organisation.",
        "Our commitment to excellence and innovation drives the transformation of the experience.",
        "The cancellation of the reservation results in the exclusion of any compensation for the customer.",
        Example(_PLAIN, {"most": None, "least": 5}),
        "Improvement of performance demands the identification of limitations and the elimination of waste.",
        "There is an expectation of availability and a consideration of the possibility of a prolongation.",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"{_range(options.least, options.most)} percent abstract nouns"

    def tell(self, number: float) -> str:
        return f"{number:.1f} percent abstract nouns"

    def number(self, text: str) -> float | None:
        said = _english(text)
        return 100.0 * len(list(_abstract(text))) / len(said) if said else None

    def beyond(self, text: str) -> Iterable[Span]:
        for start, end in _abstract(text):
            yield Span(start, end, "abstract")


def _abstract(text: str) -> Iterator[tuple[int, int]]:
    for match in _ABSTRACT.finditer(text):
        if match[0].lower() not in _CONCRETE:
            yield match.span()


def _range(least: float | None, most: float | None) -> str:
    if least is not None and most is not None:
        return f"{least:g} to {most:g}"
    if most is not None:
        return f"at most {most:g}"
    return f"at least {least:g}" if least is not None else "any"
