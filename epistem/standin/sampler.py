"""Drawing an answer token by token, with the settings acting by their mathematics.

An answer is written as a row of choices: each names the ways it can go on, with a logit each. The ways
are cut into tokens; at every position the candidates are the tokens that some way still goes on with,

    z(token) = STEADY + ln Σ exp(logit of the ways with it) − ln Σ exp(logit of all ways left)

and, below them, the words that stand near a usual one (z lower by NEAR) and the whole vocabulary of
words, each with a fixed z drawn from a normal distribution of mean 0 and spread 1. Then, with c the
number of times the token stands in the answer already,

    z' = z − frequency_penalty·c − presence_penalty·[c > 0]
    p  = softmax(z' / temperature)

`top_p` keeps the most probable until they reach it together. What is kept is drawn from in proportion.
At temperature 0 the largest z' is taken, and the probabilities told are those of temperature 1.

The gap STEADY is why text holds together: at temperature 1 a stray word comes once in some 5,000
tokens, at 1.3 once in 100, at 2 every second time. A stray word makes the next one likelier (SHAKEN).
Positive penalties on the vocabulary's words are left out, since they hardly ever stand there already.
"""

from __future__ import annotations

import random
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import exp, fsum, log
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from epistem.core.wire.tokens import tokens, words_of_vocabulary

STEADY = 18.0
NEAR = 7.0
SHAKEN = 1.5
_NOTHING = np.zeros(1)
_NEAR_WORDS = {
    " the": " that", " a": " one", " is": " was", " are": " were", " and": " or", " to": " for",
    " of": " from", " in": " at", " on": " by", " for": " to", " with": " without", " you": " we",
    " your": " our", " this": " that", ",": ";", ".": "!",
}  # fmt: skip


@dataclass(frozen=True)
class Settings:
    """As in a request."""

    temperature: float = 1.0
    top_p: float = 1.0
    frequency_penalty: float = 0.0
    presence_penalty: float = 0.0


class Token(NamedTuple):
    """`top` are the most probable candidates at its place, itself among them or not."""

    text: str
    logprob: float
    top: tuple[tuple[str, float], ...] = ()


class LimitReached(Exception):
    """The answer has as many tokens as it may have."""


class _Strays(NamedTuple):
    """The vocabulary at one temperature, most probable first; weights are relative to z = 0."""

    temperature: float
    words: tuple[str, ...]
    z: dict[str, float]
    weights: NDArray[np.float64]
    reached: NDArray[np.float64]


@lru_cache(maxsize=1)
def _vocabulary() -> tuple[tuple[str, ...], NDArray[np.float64]]:
    words = words_of_vocabulary()
    z = np.random.default_rng(17).normal(size=len(words))
    order = np.argsort(-z)
    return tuple(words[at] for at in order), z[order]


@lru_cache(maxsize=64)
def _strays(temperature: float) -> _Strays:
    words, z = _vocabulary()
    temperature = max(temperature, 0.01)
    weights = np.exp(z / temperature)
    named = dict(zip(words, z.tolist(), strict=True))
    return _Strays(temperature, words, named, weights, np.cumsum(weights))


class Sampler:
    """The draws of one answer, and its tokens so far.

    Where `bound` is set, strays keep out of everything that is not free text, so that a shape holds.
    """

    def __init__(
        self,
        settings: Settings,
        rng: random.Random,
        *,
        limit: int | None = None,
        top: int | None = None,
        bound: bool = False,
    ) -> None:
        self.settings = settings
        self.rng = rng
        self.bound = bound
        self.written: list[Token] = []
        self._limit = limit
        self._top = top
        self._said: Counter[str] = Counter()
        self._shaken = 0.0
        penalties = (settings.frequency_penalty, settings.presence_penalty)
        self._draws_back, self._pushes_off = min(penalties) < 0, max(penalties) > 0
        self._pending = 0.0  # log-probability of not having ended, told with the next token

    @property
    def text(self) -> str:
        return "".join(token.text for token in self.written)

    def limit_to(self, limit: int | None) -> None:
        self._limit = limit

    def say(self, text: str, *, free: bool = True) -> None:
        """Write what can only go on this way. Raises LimitReached."""
        for token in tokens(text):
            self._go(token, free)

    def _go(self, token: str, free: bool) -> None:
        """Write a token where only this one is wanted."""
        usual = self.settings.temperature > 0 and not self._top and (free or not self.bound)
        if not usual or self._shaken > 0.01 or self._penalised(token):
            self._step({token: STEADY}, free)
            return
        found = _forced(token, self.settings.temperature, self.settings.top_p)
        place = self.rng.random()
        if place < found.p[token]:
            self._write(token, found)
        else:
            self._take(found.at(place), found, {token: STEADY})

    def choose(self, ways: Mapping[str, float], *, free: bool = True) -> str:
        """Draw one of the ways, write it, and return it as it was meant. Raises LimitReached."""
        live = [(tokens(text), logit, text) for text, logit in ways.items()]
        at = 0
        while True:
            if len(live) == 1:
                for token in live[0][0][at:]:
                    self._go(token, free)
                return live[0][2]
            groups: dict[str | None, list[tuple[tuple[str, ...], float, str]]] = defaultdict(list)
            for way in live:
                groups[way[0][at] if at < len(way[0]) else None].append(way)
            whole = _log_sum([logit for _, logit, _ in live])
            wanted = {
                token: STEADY + _log_sum([logit for _, logit, _ in group]) - whole
                for token, group in groups.items()
            }
            token = self._step(wanted, free)
            if token is None:
                return groups[None][0][2]
            live = groups[token]
            at += 1

    def adjusted(self, token: str | None, z: float) -> float:
        """z' of a token; the end of a way has no penalty."""
        count = self._said[token] if token is not None else 0
        if not count:
            return z
        return z - self.settings.frequency_penalty * count - self.settings.presence_penalty

    def candidates(self, wanted: Mapping[Any, float], *, free: bool = True) -> Candidates:
        """What may come next, where these tokens are wanted with these z."""
        z = {token: self.adjusted(token, value) for token, value in wanted.items()}
        temperature = self.settings.temperature or 1.0
        if self.bound and not free:
            return _cut(z, temperature, self.settings.top_p, None, 0.0)
        for token in wanted:
            near = _NEAR_WORDS.get(token or "")
            if near and near not in z:
                z[near] = self.adjusted(near, wanted[token] - NEAR)
        strays = _strays(temperature)
        if self._draws_back:
            for word in self._said:  # what has been said draws itself back
                if word not in z and word in strays.z:
                    z[word] = self.adjusted(word, strays.z[word])
        return _cut(z, temperature, self.settings.top_p, strays, self._shaken)

    def _penalised(self, token: str) -> bool:
        return self._draws_back or (self._pushes_off and self._said[token] > 0)

    def _step(self, wanted: Mapping[Any, float], free: bool) -> Any:
        """Write one token; return the wanted one that it stands for."""
        found = self.candidates(wanted, free=free)
        if self.settings.temperature <= 0:
            return self._take(self._largest(wanted, found), found, wanted)
        return self._take(found.at(self.rng.random()), found, wanted)

    def _take(self, chosen: str | None, found: Candidates, wanted: Mapping[Any, float]) -> Any:
        if chosen is None:
            self._pending += log(found.p[None])
            return None
        self._write(chosen, found)
        if chosen in wanted:
            self._shaken *= 0.7
            return chosen
        for token in wanted:
            if _NEAR_WORDS.get(token or "") == chosen:
                return token
        self._shaken += SHAKEN
        return max(wanted, key=wanted.__getitem__)

    def _largest(self, wanted: Mapping[Any, float], found: Candidates) -> str | None:
        best = max(self.adjusted(token, z) for token, z in wanted.items())
        if found.strays is not None and best < next(iter(found.strays.z.values())):
            return next(word for word in found.strays.words if not self._said[word])
        return max(found.p, key=found.p.__getitem__)

    def _write(self, token: str, found: Candidates) -> None:
        if self._limit is not None and len(self.written) >= self._limit:
            raise LimitReached
        top = found.best(self._top) if self._top else ()
        pending = self._pending
        told = tuple((text, logprob + pending) for text, logprob in top)
        self.written.append(Token(token, found.logprob(token) + pending, told))
        self._pending = 0.0
        self._said[token] += 1


class Candidates(NamedTuple):
    """Probabilities of tokens (None is the end of a way) and, together, of stray words.

    Of `strays` those up to the running weight `reach` are kept.
    """

    p: dict[str | None, float]
    stray: float = 0.0
    strays: _Strays | None = None
    reach: float = 0.0

    def at(self, place: float) -> str | None:
        """The token at this place of 0–1, the candidates laid side by side."""
        for token, p in self.p.items():
            place -= p
            if place < 0:
                return token
        if self.strays is None or self.stray <= 0:  # rounding
            return max(self.p, key=self.p.__getitem__)
        at = np.searchsorted(self.strays.reached, place / self.stray * self.reach)
        return self.strays.words[min(int(at), len(self.strays.words) - 1)]

    def logprob(self, token: str) -> float:
        p = self.p.get(token, 0.0)
        if not p and self.strays is not None:
            p = self.stray * exp(self.strays.z.get(token, 0.0) / self.strays.temperature)
            p /= self.reach or 1.0
        return log(max(p, 1e-300))

    def best(self, count: int) -> tuple[tuple[str, float], ...]:
        """The most probable tokens with their log-probabilities."""
        texts = [token for token, p in self.p.items() if token is not None and p > 0]
        if self.strays is not None and self.stray > 0:
            texts += self.strays.words[:count]
        ranked = sorted(((self.logprob(t), t) for t in dict.fromkeys(texts)), reverse=True)
        return tuple((text, logprob) for logprob, text in ranked[:count])


@lru_cache(maxsize=20_000)
def _forced(token: str, temperature: float, top_p: float) -> Candidates:
    """Where one token is wanted that no penalty touches: the same every time."""
    near = _NEAR_WORDS.get(token)
    z = {token: STEADY, **({near: STEADY - NEAR} if near else {})}
    return _cut(z, temperature, top_p, _strays(temperature), 0.0)


def _cut(
    z: Mapping[Any, float],
    temperature: float,
    top_p: float,
    strays: _Strays | None,
    shaken: float,
) -> Candidates:
    """Softmax over the candidates and the strays together, and the cut at `top_p`."""
    best = max(z.values())
    weights = {token: exp((value - best) / temperature) for token, value in z.items()}
    scale = exp(min((shaken - best) / temperature, 600.0)) if strays is not None else 0.0
    reached = strays.reached if strays is not None else _NOTHING
    whole = fsum(weights.values()) + scale * float(reached[-1])
    if top_p >= 1:
        p = {token: weight / whole for token, weight in weights.items()}
        return Candidates(p, scale * float(reached[-1]) / whole, strays, float(reached[-1]))

    def strays_to(count: int) -> float:
        return float(reached[min(count, len(reached)) - 1]) if scale and count > 0 else 0.0

    kept: dict[Any, float] = {}
    goal, sum_kept, reach = top_p * whole, 0.0, 0.0
    for token, weight in sorted(weights.items(), key=lambda item: -item[1]):
        if strays is not None and scale:  # the strays that are likelier than this token come first
            ahead = int(np.searchsorted(-strays.weights, -weight / scale))
            within = int(np.searchsorted(reached, (goal - sum_kept) / scale)) + 1
            reach = strays_to(min(ahead, within))
        if sum_kept + scale * reach >= goal and (kept or reach):
            break
        kept[token] = weight
        sum_kept += weight
    else:
        if scale and sum_kept + scale * reach < goal:
            reach = strays_to(int(np.searchsorted(reached, (goal - sum_kept) / scale)) + 1)
    whole = sum_kept + scale * reach
    p = {token: kept.get(token, 0.0) / whole for token in weights}
    return Candidates(p, scale * reach / whole, strays, reach)


def _log_sum(values: Sequence[float]) -> float:
    best = max(values)
    return best + log(fsum(exp(value - best) for value in values))


def cut_to(probabilities: list[float], top_p: float) -> list[float]:
    """The most probable until they reach `top_p` together, in proportion; the others 0."""
    named = {str(at): log(p) if p > 0 else -600.0 for at, p in enumerate(probabilities)}
    return list(_cut(named, 1.0, top_p, None, 0.0).p.values())
