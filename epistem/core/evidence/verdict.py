"""The verdict: rates, differences with intervals, and a word for each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from epistem.core.evidence.intervals import LEVEL, Interval, Rate, pass_rate
from epistem.core.evidence.paired import bootstrap_means, case_shares, intervals_from

Word = Literal["better", "worse", "same", "unsettled"]

FEWEST_CASES = 6
"""With five pairs even a difference in every one has a two-sided sign-test p of 2/2^5 = 0.06,
so below six nothing can be settled at the 95% level."""


@dataclass(frozen=True)
class Tally:
    """Answers judged and passed: integer arrays of arms × measures × cases."""

    passed: NDArray[np.int64]
    total: NDArray[np.int64]


@dataclass(frozen=True)
class Comparison:
    """An arm against the baseline on one measure, in points of 100.

    `cases` had answers from both arms; `interval` is None when there were none.
    """

    arm: int
    measure: int
    difference: float | None
    interval: Interval | None
    word: Word
    cases: int


@dataclass(frozen=True)
class Verdict:
    """`rates[arm][measure]`; `comparisons` holds all arms but the baseline, measures in order."""

    rates: list[list[Rate | None]]
    comparisons: list[Comparison]
    level: float = LEVEL


def word_for(interval: Interval, margin: float, cases: int) -> Word:
    """better, worse, same or unsettled, all in points.

    `same` when the whole interval lies within the margin, even if it leaves out 0; `better` or
    `worse` when it leaves out 0 on that side; else, or with fewer than FEWEST_CASES, unsettled.
    """
    if cases < FEWEST_CASES:
        return "unsettled"
    if -margin <= interval.low and interval.high <= margin:
        return "same"
    if interval.low > 0:
        return "better"
    if interval.high < 0:
        return "worse"
    return "unsettled"


def reach_verdict(
    tally: Tally, margins: list[float], *, seed: int, level: float = LEVEL, baseline: int = 0
) -> Verdict:
    """Compare every arm with the baseline on every measure. Same seed, same result."""
    arms, measures, _ = tally.passed.shape
    rates = [
        [pass_rate(tally.passed[a, m], tally.total[a, m], level) for m in range(measures)]
        for a in range(arms)
    ]
    shares = case_shares(tally.passed, tally.total)
    pairs = [(a, m) for a in range(arms) if a != baseline for m in range(measures)]
    if not pairs:
        return Verdict(rates, [], level)
    differences = np.array([shares[a, m] - shares[baseline, m] for a, m in pairs]) * 100
    used = (~np.isnan(differences)).sum(axis=1)
    rows = np.flatnonzero(used)
    intervals: dict[int, Interval] = {}
    if rows.size:
        means = bootstrap_means(differences[rows], np.random.default_rng(seed))
        intervals = dict(zip(rows.tolist(), intervals_from(means, used[rows], level), strict=True))
    comparisons = []
    for row, (arm, measure) in enumerate(pairs):
        interval = intervals.get(row)
        if interval is None:
            comparisons.append(Comparison(arm, measure, None, None, "unsettled", 0))
            continue
        difference = float(np.nanmean(differences[row]))
        word = word_for(interval, margins[measure], int(used[row]))
        comparisons.append(Comparison(arm, measure, difference, interval, word, int(used[row])))
    return Verdict(rates, comparisons, level)
