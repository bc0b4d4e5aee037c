"""Pass rates and their Wilson intervals."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

LEVEL = 0.95


@dataclass(frozen=True)
class Interval:
    low: float
    high: float


@dataclass(frozen=True)
class Rate:
    """`value` in 0–1; `answers` were judged over `cases`; `effective` is what they are worth."""

    value: float
    interval: Interval
    answers: int
    cases: int
    effective: float


def wilson(passed: float, total: float, level: float = LEVEL) -> Interval:
    """The Wilson score interval without continuity correction.

    E. B. Wilson, J. Am. Stat. Assoc. 22 (1927) 209–212; numbers to compare with in
    R. G. Newcombe, Statist. Med. 17 (1998) 857–872, table I, method 3. `total` may be a
    fraction (an effective number). A total of 0 gives (0, 1).
    """
    if total <= 0:
        return Interval(0.0, 1.0)
    z = NormalDist().inv_cdf(0.5 + level / 2)
    rate = passed / total
    middle = rate + z * z / (2 * total)
    half = z * sqrt(rate * (1 - rate) / total + z * z / (4 * total * total))
    scale = 1 + z * z / total
    low = 0.0 if passed <= 0 else max(0.0, (middle - half) / scale)
    high = 1.0 if passed >= total else min(1.0, (middle + half) / scale)
    return Interval(low, high)


def pass_rate(
    passed: NDArray[np.int64], total: NDArray[np.int64], level: float = LEVEL
) -> Rate | None:
    """The mean over cases of each case's share of passes, or None if nothing was judged.

    `passed` and `total` count answers a case. Repeats of one case are not independent, so the
    Wilson interval is taken on the effective number of answers: p(1−p) divided by the variance
    of the mean over cases (Kish's design effect), held between the number of cases and of
    answers. Where all or none passed that variance says nothing, and the cases are counted.
    """
    judged = total > 0
    cases = int(judged.sum())
    if cases == 0:
        return None
    answers = int(total.sum())
    shares = passed[judged] / total[judged]
    value = float(shares.mean())
    effective = float(cases)
    if cases > 1 and 0 < value < 1:
        variance = float(shares.var(ddof=1)) / cases
        if variance > 0:
            effective = min(max(value * (1 - value) / variance, cases), answers)
        else:
            effective = float(answers)
    return Rate(value, wilson(value * effective, effective, level), answers, cases, effective)
