"""Pass rates and their intervals."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

LEVEL = 0.95


@dataclass(frozen=True)
class Interval:
    low: float
    high: float


@dataclass(frozen=True)
class Rate:
    """`value` in 0–1; `answers` were judged over `cases`; `effective` is what they are worth.

    `missing` answers never came. Whatever they would have been, the rate lies between `least` and
    `most`; without missing ones both are `value`.
    """

    value: float
    interval: Interval
    answers: int
    cases: int
    effective: float
    missing: int = 0
    least: float = 0.0
    most: float = 1.0


def clopper_pearson(passed: float, total: float, level: float = LEVEL) -> Interval:
    """The exact binomial interval. `total` may be a fraction (an effective number); 0 gives (0, 1).

    C. J. Clopper and E. S. Pearson, Biometrika 26 (1934) 404–413, by quantiles of beta.
    """
    low, high = clopper_pearson_ends(np.float64(passed), np.float64(total), level)
    return Interval(float(low), float(high))


def clopper_pearson_ends(
    passed: NDArray[np.float64] | np.float64,
    total: NDArray[np.float64] | np.float64,
    level: float = LEVEL,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The two ends for arrays of one shape."""
    tail = (1 - level) / 2
    failed = total - passed
    with np.errstate(invalid="ignore"):
        low = np.where(passed <= 1e-12, 0.0, special.betaincinv(passed, failed + 1, tail))
        high = np.where(failed <= 1e-12, 1.0, special.betaincinv(passed + 1, failed, 1 - tail))
    return low, high


def effective_answers(
    shares: NDArray[np.float64], repeats: NDArray[np.float64], level: float = LEVEL
) -> NDArray[np.float64]:
    """How many independent answers those of a set are worth, over the last axis (the cases).

    `shares` are of passes, NaN where nothing was judged; `repeats` count the answers. After E. L.
    Korn and B. I. Graubard, Survey Methodology 24 (1998) 193–201: p(1−p) over the variance of the
    mean over cases, times (t of the answers ÷ t of the cases)². Both count one case more, whose
    answers all are of the rarer kind, so that a set in which nothing varied yet does not promise
    that nothing ever will; and answers are never worth more than independent ones would be. 0 for
    one case: it tells nothing of the others.
    """
    seen = ~np.isnan(shares)
    cases = seen.sum(axis=-1)
    mean = np.where(seen, shares, 0.0).sum(axis=-1) / np.maximum(cases, 1)
    extra = np.where(mean >= 0.5, 0.0, 1.0)
    middle = (mean * cases + extra) / (cases + 1)
    spread = np.where(seen, np.square(shares - middle[..., None]), 0.0).sum(axis=-1)
    spread += np.square(extra - middle)
    answers = np.where(seen, repeats, 0).sum(axis=-1)
    with np.errstate(divide="ignore", invalid="ignore"):
        worth = middle * (1 - middle) * cases**2 / spread
        inverse = np.where(seen, 1.0 / np.maximum(repeats, 1), 0.0).sum(axis=-1)
        most = np.where(inverse > 0, cases**2 / inverse, 0.0)
    upper = 0.5 + level / 2
    many = special.stdtrit(np.maximum(answers - 1, 1), upper)
    few = special.stdtrit(np.maximum(cases - 1, 1), upper)
    return np.where(cases >= 2, np.minimum(worth, most) * np.square(many / few), 0.0)


def pass_rate(
    passed: NDArray[np.int64],
    total: NDArray[np.int64],
    missing: NDArray[np.int64] | None = None,
    level: float = LEVEL,
) -> Rate | None:
    """The mean over cases of each case's share of passes, or None if nothing was asked.

    `passed` and `total` count judged answers a case; `missing` ones that never came, which count as
    failed. Pass None to leave them out. Repeats of one case are not independent: see
    `effective_answers`.
    """
    lost = np.zeros_like(total) if missing is None else missing
    asked = total + lost
    judged = asked > 0
    cases = int(judged.sum())
    if cases == 0:
        return None
    repeats = asked[judged].astype(float)
    shares = passed[judged] / repeats
    value = float(shares.mean())
    effective = float(effective_answers(shares, repeats, level))
    return Rate(
        value,
        clopper_pearson(value * effective, effective, level),
        int(repeats.sum()),
        cases,
        effective,
        int(lost.sum()),
        value,
        float(((passed + lost)[judged] / repeats).mean()),
    )
