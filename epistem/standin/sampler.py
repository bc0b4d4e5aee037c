"""Drawing from alternatives, with the settings acting by their mathematics.

An answer is made at choice points. Each has alternatives with logits z. With c(t) the number of
times that token t stands in the answer so far, and t over the tokens of an alternative,

    z' = z − mean over t of (frequency_penalty·c(t) + presence_penalty·[c(t) > 0])
    p  = softmax(z' / temperature)

`top_p` keeps the most probable alternatives until they reach it together, and what is kept is drawn
from in proportion. At temperature 0 the largest z' is taken.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from math import exp

from epistem.standin.words import pieces


@dataclass(frozen=True)
class Settings:
    """As in a request."""

    temperature: float = 1.0
    top_p: float = 1.0
    frequency_penalty: float = 0.0
    presence_penalty: float = 0.0


class Sampler:
    """The draws of one answer. `note` tells it what stands in the answer by now."""

    def __init__(self, settings: Settings, rng: random.Random) -> None:
        self.settings = settings
        self.temperature = settings.temperature
        self.rng = rng
        self._said: Counter[str] = Counter()

    def note(self, text: str) -> None:
        self._said.update(pieces(text))

    def adjusted(self, text: str, logit: float) -> float:
        """z' of an alternative."""
        tokens = pieces(text)
        if not tokens:
            return logit
        counts = [self._said[token] for token in tokens]
        frequency = self.settings.frequency_penalty * sum(counts)
        presence = self.settings.presence_penalty * sum(count > 0 for count in counts)
        return logit - (frequency + presence) / len(tokens)

    def probabilities(self, texts: Sequence[str], logits: Sequence[float]) -> list[float]:
        """Of each alternative; 0 for those that `top_p` cuts off."""
        z = [self.adjusted(text, logit) for text, logit in zip(texts, logits, strict=True)]
        best = max(z)
        if self.temperature <= 0:
            return [1.0 if at == z.index(best) else 0.0 for at in range(len(z))]
        weights = [exp((value - best) / self.temperature) for value in z]
        total = sum(weights)
        return cut_to([weight / total for weight in weights], self.settings.top_p)

    def choose(self, texts: Sequence[str], logits: Sequence[float]) -> str:
        """One of `texts`. It is not noted: it may be only a part of what is said."""
        drawn = self.rng.random()
        probabilities = self.probabilities(texts, logits)
        for text, probability in zip(texts, probabilities, strict=True):
            drawn -= probability
            if drawn < 0:
                return text
        return texts[max(range(len(texts)), key=probabilities.__getitem__)]  # rounding

    def happens(self, chance: float) -> bool:
        """Something of this chance, which `top_p` rules out when it is in the tail that it cuts."""
        yes, _ = cut_to([chance, 1 - chance], self.settings.top_p)
        return self.rng.random() < yes


def cut_to(probabilities: list[float], top_p: float) -> list[float]:
    """The most probable until they reach `top_p` together, in proportion; the others 0."""
    if top_p >= 1:
        return probabilities
    order = sorted(range(len(probabilities)), key=lambda at: -probabilities[at])
    kept, reached = set(), 0.0
    for at in order:
        kept.add(at)
        reached += probabilities[at]
        if reached >= top_p:
            break
    return [p / reached if at in kept else 0.0 for at, p in enumerate(probabilities)]
