"""How glad or how sad a text sounds, by a published lexicon."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import TYPE_CHECKING, Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Options, Span
from epistem.core.checks.shapes import WithinBounds
from epistem.core.language.reading import Piece, sentences

if TYPE_CHECKING:
    from vaderSentiment.vaderSentiment import SentimentIntensityAnalyzer

MOST_READ = 6_000
"""Characters that are looked at: the lexicon is slow, and a mood shows early."""
MOST_SENTENCE = 600


@lru_cache(maxsize=1)
def _analyser() -> SentimentIntensityAnalyzer:
    from vaderSentiment.vaderSentiment import SentimentIntensityAnalyzer

    return SentimentIntensityAnalyzer()


@lru_cache(maxsize=2_048)
def mood_of(sentence: str) -> float:
    """−1 (sad, angry) to 1 (glad): the compound score of Hutto and Gilbert (2014)."""
    return float(_analyser().polarity_scores(sentence[:MOST_SENTENCE])["compound"])


def mood(text: str) -> float | None:
    """The mean over the sentences; None without any."""
    told = _read(text)
    return sum(mood_of(text[p.start : p.end]) for p in told) / len(told) if told else None


def _read(text: str) -> list[Piece]:
    """Sentences with a letter or a sign of mood, as far as they are read."""
    return [
        p
        for p in sentences(text[:MOST_READ])
        if any(not c.isspace() for c in text[p.start : p.end])
    ]


class SentimentOptions(Options):
    least: float | None = Field(
        -0.5, ge=-1, le=1, title="At least", description="−1 is sad or angry, 0 calm."
    )
    most: float | None = Field(None, ge=-1, le=1, title="At most", description="1 is overjoyed.")

    def contradicts(self) -> bool:
        return self.least is not None and self.most is not None and self.least > self.most


class Sentiment(WithinBounds):
    key = "tone.sentiment"
    version = 1
    kind = "tone"
    summary = (
        "How glad it sounds, from −1 to 1, by the lexicon of Hutto and Gilbert: the mean of its "
        "sentences. English."
    )
    also_called = ("mood", "positive", "negative", "cheerful", "sad", "angry", "emotion", "vader")
    aspects = (Aspect("", "sentiment"),)
    Options: ClassVar[type[Options]] = SentimentOptions
    libraries = ("vaderSentiment",)
    unit = "point of mood"
    score_margin = 0.05
    good: ClassVar = (
        "The boat leaves at nine.",
        "What a lovely day, we are happy to help!",
        "We are not sad about it.",
        "",
        "Great, thank you 🙂",
        Example("This is terrible, I hate it.", {"least": None, "most": -0.3}),
        Example("The boat leaves at nine.", {"least": -0.1, "most": 0.1}),
        Example("Wonderful! I love it!", {"least": 0.5}),
        "The bag is blue. It has two pockets.",
    )
    bad: ClassVar = (
        "This is terrible, I hate it.",
        "Sadly your bag was destroyed and we are very angry.",
        "Horrible weather. Awful boat. Bad food.",
        Example("I am not happy at all.", {"least": -0.2}),
        Example("The boat leaves at nine.", {"least": 0.3}),
        Example("Wonderful! I love it! Best day ever!", {"most": 0.2}),
        "You are a stupid, horrible person.",
        "It is a disaster, and everybody died. 😢",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        if options.least is not None and options.most is not None:
            return f"sentiment {options.least:+g} to {options.most:+g}"
        if options.least is not None:
            return f"sentiment {options.least:+g} at least"
        return "sentiment" if options.most is None else f"sentiment {options.most:+g} at most"

    def tell(self, number: float) -> str:
        return f"sentiment {number:+.2f}"

    def number(self, text: str) -> float | None:
        return mood(text)

    def beyond(self, text: str) -> Iterable[Span]:
        most = self.options.most
        for piece in _read(text):
            if most is not None and mood_of(text[piece.start : piece.end]) > most:
                yield Span(piece.start, piece.end, "too glad")
