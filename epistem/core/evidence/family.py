"""Many comparisons at once: p-values adjusted so that the family is seldom wrong anywhere.

S. Holm, Scand. J. Statist. 6 (1979) 65–70. With a main question it is tested first, at the full
level, and what is left of the level goes to the others (a fallback procedure: B. L. Wiens,
Pharmaceut. Statist. 2 (2003) 211–215).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

LEFT_OVER = 0.02
"""The share of the level that the others have while the main question shows no difference."""


class Adjusted(NamedTuple):
    """`p` says at which level of the family a comparison would be called. `rank` is by how many its
    own p was multiplied for standing in a family (1 for the main question)."""

    p: Floats
    rank: Floats


def holm(p: Floats) -> Adjusted:
    """Of each row, over the last axis. NaN is no member of the family and stays NaN."""
    order = np.argsort(p, axis=-1)  # NaN last
    ordered = np.take_along_axis(p, order, axis=-1)
    members = (~np.isnan(p)).sum(axis=-1, keepdims=True)
    ranks = np.maximum(members - np.arange(p.shape[-1]), 1).astype(float)
    stepped = np.minimum(1.0, np.fmax.accumulate(ordered * ranks, axis=-1))
    stepped = np.where(np.isnan(ordered), np.nan, stepped)
    adjusted, rank = np.empty_like(p), np.empty_like(p)
    np.put_along_axis(adjusted, order, stepped, axis=-1)
    np.put_along_axis(rank, order, np.broadcast_to(ranks, p.shape), axis=-1)
    return Adjusted(adjusted, rank)


def adjusted(p: Floats, main: int | None = None) -> Adjusted:
    """Over the last axis; `main` is the place of the main question.

    Its own p stands as it is. Once that shows a difference, the others are Holm's among themselves;
    until then they have LEFT_OVER of the level, which takes overwhelming evidence. The family as a
    whole is wrong at most 1 + LEFT_OVER times as often as its level says.
    """
    if main is None:
        return holm(p)
    others = np.array(p)
    others[..., main] = np.nan
    found = holm(others)
    first = p[..., main : main + 1]
    gated = np.fmin(np.fmax(first, found.p), found.p / LEFT_OVER)
    gated, rank = np.where(np.isnan(others), np.nan, np.minimum(1.0, gated)), found.rank
    gated[..., main], rank[..., main] = p[..., main], 1.0
    return Adjusted(gated, rank)
