"""How well look-ups find what they should: recall, mean reciprocal rank, nDCG."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from math import log2

Found = Sequence[str]


def recall(found: Found, wanted: Collection[str], k: int) -> float:
    """The share of what is wanted among the first k."""
    return len(set(found[:k]) & set(wanted)) / len(set(wanted))


def reciprocal_rank(found: Found, wanted: Collection[str]) -> float:
    """1 over the place of the first that is wanted; 0 where none is found. E. Voorhees, Proc. TREC-8 (1999)."""
    return next((1 / rank for rank, each in enumerate(found, 1) if each in wanted), 0.0)


def ndcg(found: Found, wanted: Collection[str], k: int) -> float:
    """Discounted gain of the first k, over that of the best order; each that is wanted gains 1, a place r
    discounts by log2(r + 1). K. Järvelin, J. Kekäläinen, ACM Trans. Inf. Syst. 20 (2002) 422–446."""
    once = list(dict.fromkeys(found))[:k]
    gained = sum(1 / log2(rank + 1) for rank, each in enumerate(once, 1) if each in wanted)
    best = sum(1 / log2(rank + 1) for rank in range(1, min(len(set(wanted)), k) + 1))
    return gained / best
