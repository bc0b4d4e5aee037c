"""Several rankings made into one by the places that things have in them.

G. Cormack, C. Clarke, S. Büttcher: Reciprocal rank fusion outperforms Condorcet and individual rank learning
methods. Proc. SIGIR 2009, 758–759.
"""

from __future__ import annotations

from collections.abc import Sequence

from epistem.core.knowledge.index import Hit

K = 60


def fused(rankings: Sequence[Sequence[int]], most: int, k: int = K) -> list[Hit]:
    """Each ranking is places, the best first. The score is the sum of 1 / (k + rank); of equal ones the first in
    place goes first."""
    scores: dict[int, float] = {}
    for ranking in rankings:
        for rank, at in enumerate(ranking, start=1):
            scores[at] = scores.get(at, 0.0) + 1 / (k + rank)
    ranked = sorted(scores.items(), key=lambda each: (-each[1], each[0]))
    return [Hit(at, score) for at, score in ranked[:most]]
