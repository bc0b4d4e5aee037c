"""Look-up by meaning: the cosine between a question's vector and those of passages."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Vectors = NDArray[np.float32]


def unit(vector: Sequence[float] | NDArray[np.float32]) -> NDArray[np.float32]:
    """Of length 1. Raises ValueError for one that is not finite; one of zeros stays so."""
    told = np.asarray(vector, np.float32)
    if not np.all(np.isfinite(told)):
        raise ValueError("a vector has to be of finite numbers")
    length = float(np.linalg.norm(told))
    return told / np.float32(length) if length else told


def cosines(vectors: Vectors, question: NDArray[np.float32]) -> NDArray[np.float64]:
    """Of each row, all of length 1, with the question."""
    return (vectors @ question).astype(np.float64)
