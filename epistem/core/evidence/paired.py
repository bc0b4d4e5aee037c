"""Differences against the baseline, paired by case, by a bootstrap over cases."""

from __future__ import annotations

from math import sqrt

import numpy as np
from numpy.typing import NDArray
from scipy import special

from epistem.core.evidence.intervals import LEVEL, Interval

RESAMPLES = 10_000
CHUNK = 1_000


def case_shares(passed: NDArray[np.int64], total: NDArray[np.int64]) -> NDArray[np.float64]:
    """Each case's share of passes; NaN where nothing was judged. Repeats are averaged here."""
    with np.errstate(invalid="ignore"):
        return np.where(total > 0, passed / np.maximum(total, 1), np.nan)


def bootstrap_means(
    values: NDArray[np.float64],
    rng: np.random.Generator,
    *,
    resamples: int = RESAMPLES,
) -> NDArray[np.float64]:
    """Means of each row of `values` (rows × cases) over cases drawn with replacement.

    The same draws serve all rows. NaN marks a case that a row can't use: its mean is taken over
    the others that were drawn (NaN if none was). Shape: resamples × rows. Drawn in chunks, as
    counts (`bincount`) times values, so memory stays near chunk × cases.
    """
    cases = values.shape[1]
    usable = ~np.isnan(values)
    filled = np.where(usable, values, 0.0)
    means = np.empty((resamples, values.shape[0]))
    for start in range(0, resamples, CHUNK):
        size = min(CHUNK, resamples - start)
        drawn = rng.integers(0, cases, (size, cases)) + cases * np.arange(size)[:, None]
        weights = np.bincount(drawn.ravel(), minlength=size * cases).reshape(size, cases)
        weights = weights.astype(np.float64)
        with np.errstate(invalid="ignore", divide="ignore"):
            means[start : start + size] = (weights @ filled.T) / (weights @ usable.T.astype(float))
    return means


def expanded_level(level: float, cases: int) -> float:
    """The level at which to read percentiles so that few cases do not give too short intervals.

    The percentile interval is short by about sqrt((n−1)/n) and uses normal rather than t
    quantiles; the "expanded percentile interval" undoes both: α′/2 = Φ(−sqrt(n/(n−1)) t_{α/2, n−1}).
    T. C. Hesterberg, The American Statistician 69 (2015) 371–386, section 3.3.
    """
    if cases < 2:
        return level
    t = special.stdtrit(cases - 1, 0.5 + level / 2)
    return float(1 - 2 * special.ndtr(-sqrt(cases / (cases - 1)) * t))


def intervals_from(
    means: NDArray[np.float64], cases: NDArray[np.int64], level: float = LEVEL
) -> list[Interval]:
    """One interval a column of `means`; `cases` is how many each column rests on."""
    intervals = []
    for column, used in zip(means.T, cases, strict=True):
        column = column[~np.isnan(column)]
        tail = (1 - expanded_level(level, int(used))) / 2
        low, high = np.quantile(column, [tail, 1 - tail])
        intervals.append(Interval(float(low), float(high)))
    return intervals
