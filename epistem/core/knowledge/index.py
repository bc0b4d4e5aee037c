"""Look-up by words: BM25 over the passages of a collection.

S. Robertson, H. Zaragoza: The Probabilistic Relevance Framework. Found. Trends Inf. Retr. 3 (2009) 333–389,
with ln(1 + (N − n + ½) / (n + ½)) for a word's weight, which is never negative.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, TypeAlias

import numpy as np
from numpy.typing import NDArray

from epistem.core.knowledge.segments import Segment
from epistem.core.knowledge.terms import asked

K1 = 1.2
B = 0.75
Scores: TypeAlias = NDArray[np.float64]
Mask: TypeAlias = NDArray[np.bool_]


class Hit(NamedTuple):
    """A passage by its place in the index."""

    at: int
    score: float


class Index:
    """Of the documents' segments in the order in which they are given: a passage's place counts through
    all of them. Whoever wants the same results whatever was added first gives them in an order of their own."""

    def __init__(self, segments: Sequence[Segment]) -> None:
        self.lengths = _joined([each.lengths for each in segments])
        self.size = len(self.lengths)
        self._average = max(float(self.lengths.mean()), 1.0) if self.size else 1.0
        self._norm = K1 * (1 - B + B * self.lengths / self._average)
        self._number: dict[str, int] = {}
        self._starts, self._passages, self._counts = self._merged(segments)

    @property
    def memory(self) -> int:
        """Bytes of its arrays."""
        arrays = (self.lengths, self._norm, self._starts, self._passages, self._counts)
        return sum(each.nbytes for each in arrays)

    def _merged(
        self, segments: Sequence[Segment]
    ) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
        number, words, passages, counts = self._number, [], [], []
        first = 0
        for each in segments:
            mine = [number.setdefault(word, len(number)) for word in each.words]
            words.append(np.repeat(np.array(mine, np.int32), np.diff(each.starts)))
            passages.append(each.passages + np.int32(first))
            counts.append(each.counts)
            first += len(each.lengths)
        told = _joined(words)
        order = np.argsort(told, kind="stable")
        starts = np.zeros(len(number) + 1, np.int64)
        starts[1:] = np.cumsum(np.bincount(told, minlength=len(number)))
        return starts, _joined(passages)[order], _joined(counts)[order]

    def scores(self, question: str) -> Scores:
        """Of every passage; 0 where it has none of the question's words."""
        found = np.zeros(self.size)
        for word in asked(question):
            at = self._number.get(word)
            if at is None:
                continue
            here = slice(self._starts[at], self._starts[at + 1])
            passages, counts = self._passages[here], self._counts[here]
            having = len(passages)
            weight = np.log1p((self.size - having + 0.5) / (having + 0.5))
            found[passages] += weight * counts * (K1 + 1) / (counts + self._norm[passages])
        return found


def best(scores: Scores, most: int, allowed: Mask | None = None, least: float = 0.0) -> list[Hit]:
    """The highest scores above 0, and of at least `least`, the highest first; of equal ones the first in place."""
    here = scores > 0
    if least > 0:
        here &= scores >= least
    if allowed is not None:
        here &= allowed
    places = np.flatnonzero(here)
    if len(places) > most:
        # All that tie with the last one are looked at, so that the place decides and not the partition.
        edge = np.partition(scores[places], len(places) - most)[len(places) - most]
        places = places[scores[places] >= edge]
    order = np.lexsort((places, -scores[places]))[:most]
    return [Hit(int(at), float(scores[at])) for at in places[order]]


def _joined(parts: Sequence[NDArray[np.int32]]) -> NDArray[np.int32]:
    return np.concatenate(parts) if parts else np.zeros(0, np.int32)
