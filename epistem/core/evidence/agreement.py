"""How far repeats of one case agree with each other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def agreement(passed: NDArray[np.int64], total: NDArray[np.int64]) -> float | None:
    """The share of pairs of repeats that came out alike, averaged over the cases with two or more; None
    without such a case.

    The observed agreement of Fleiss, J. L. (1971), Measuring nominal scale agreement among many raters,
    Psychological Bulletin 76, eq. 2 and 3, with repeats as raters and pass and fail as categories: of n
    answers to a case of which k passed, (k(k − 1) + (n − k)(n − k − 1)) / n(n − 1).
    """
    several = total >= 2
    if not several.any():
        return None
    k, n = passed[several].astype(np.float64), total[several].astype(np.float64)
    return float(np.mean((k * (k - 1) + (n - k) * (n - k - 1)) / (n * (n - 1))))
