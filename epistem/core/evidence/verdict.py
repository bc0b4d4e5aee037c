"""The verdict: rates, differences with intervals, and a word for each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from epistem.core.evidence.agreement import agreement
from epistem.core.evidence.family import adjusted
from epistem.core.evidence.intervals import LEVEL, Interval, Rate, pass_rate
from epistem.core.evidence.paired import Paired, case_shares, ends, p_values, paired
from epistem.core.evidence.power import Settling, fewest_for_same, settling

Word = Literal["better", "worse", "same", "unsettled"]
Missing = Literal["failed", "left_out"]
"""What becomes of an answer that never came."""

FEWEST_CASES = 6
"""With five pairs even a difference in every one has a two-sided sign-test p of 2/2^5 = 0.06,
so below six nothing can be settled at the 95% level."""

EARLY_LEVEL = 0.999
"""While a trial runs, or when somebody stopped it, its words need so much: who looks again and again
and ends at the first word that pleases would be wrong far more often than 1 − LEVEL."""


@dataclass(frozen=True)
class Tally:
    """Answers judged and passed, and answers that never came: integers of arms × measures × cases."""

    passed: NDArray[np.int64]
    total: NDArray[np.int64]
    missing: NDArray[np.int64]


class Question(NamedTuple):
    """The main question: does this arm differ from the baseline in this measure?"""

    arm: int
    measure: int


@dataclass(frozen=True)
class Comparison:
    """An arm against the baseline on one measure, in points of 100.

    `cases` had answers from both arms; `interval` is None when there were none. `p` is of this
    comparison alone, `p_adjusted` for its standing in a family; both are None for what is no member.
    `settling` is what would settle it, for one that is unsettled with all readings there and could be.
    """

    arm: int
    measure: int
    difference: float | None
    interval: Interval | None
    word: Word
    cases: int
    p: float | None = None
    p_adjusted: float | None = None
    main: bool = False
    settling: Settling | None = None


@dataclass(frozen=True)
class Verdict:
    """`rates[arm][measure]`; `comparisons` holds all arms but the baseline, measures in order.

    `level` is that of the words and their intervals; rates are always read at LEVEL.
    `same_needs[measure]` cases are the fewest for “same”, with nothing differing; None for never.
    """

    rates: list[list[Rate | None]]
    comparisons: list[Comparison]
    level: float = LEVEL
    missing: Missing = "failed"
    question: Question | None = None
    same_needs: tuple[int | None, ...] = ()
    agreements: tuple[tuple[float | None, ...], ...] = ()
    """`agreements[arm][measure]`: how far repeats agree, 0–1."""


def reach_verdict(
    tally: Tally,
    margins: list[float],
    *,
    question: Question | None = None,
    early: bool = False,
    missing: Missing = "failed",
    baseline: int = 0,
) -> Verdict:
    """Compare every arm with the baseline on every measure. No chance is in it.

    A word is better or worse when the p adjusted for all arms × measures is at most 1 − level, and
    same when the interval lies within the margin, even if it leaves out 0. The end next to 0 of one
    that is not same is read at the level that fits its adjusted p, so that it leaves out 0 just when
    the word says so.
    """
    level = EARLY_LEVEL if early else LEVEL
    lost = tally.missing if missing == "failed" else None
    total = tally.total if lost is None else tally.total + lost
    arms, measures, _ = tally.passed.shape
    rates = [
        [
            pass_rate(tally.passed[a, m], tally.total[a, m], None if lost is None else lost[a, m])
            for m in range(measures)
        ]
        for a in range(arms)
    ]
    pairs = [(a, m) for a in range(arms) if a != baseline for m in range(measures)]
    same_needs = tuple(fewest_for_same(margin / 100, 1 - LEVEL) for margin in margins)
    agreements = tuple(
        tuple(agreement(tally.passed[a, m], tally.total[a, m]) for m in range(measures))
        for a in range(arms)
    )
    if not pairs:
        return Verdict(rates, [], level, missing, question, same_needs, agreements)
    shares = case_shares(tally.passed, total)
    sums = paired(np.array([shares[a, m] - shares[baseline, m] for a, m in pairs]))
    main = pairs.index(question) if question in pairs else None
    testable = main is not None and sums.cases[main] >= FEWEST_CASES
    alone, p, rank = _tested(sums, main if testable else None)
    ratio = np.where(np.isnan(p), 1.0, alone / np.maximum(p, 1e-300))
    plain = ends(sums, 1 - level, 1 - level)
    fitted = (1 - level) * np.clip(ratio, 1e-12, 1.0)
    near = ends(sums, fitted, fitted)
    comparisons = []
    for row, (arm, measure) in enumerate(pairs):
        cases, mean = int(sums.cases[row]), float(sums.mean[row])
        if cases == 0:
            comparisons.append(
                Comparison(arm, measure, None, None, "unsettled", 0, main=row == main)
            )
            continue
        low, high = plain[0][row], plain[1][row]
        word = _word(p[row], mean, low, high, margins[measure] / 100, cases, level)
        if word != "same" and mean >= 0:
            low = min(low, near[0][row])
        if word != "same" and mean <= 0:
            high = max(high, near[1][row])
        asked = not np.isnan(p[row])
        comparisons.append(
            Comparison(
                arm,
                measure,
                mean * 100,
                Interval(float(low) * 100, float(high) * 100),
                word,
                cases,
                float(alone[row]) if asked else None,
                float(p[row]) if asked else None,
                row == main,
                settling(sums, row, margins[measure] / 100, float(rank[row]), 1 - LEVEL)
                if word == "unsettled" and not early
                else None,
            )
        )
    return Verdict(rates, comparisons, level, missing, question, same_needs, agreements)


class _Tested(NamedTuple):
    alone: NDArray[np.float64]
    p: NDArray[np.float64]
    rank: NDArray[np.float64]


def _tested(sums: Paired, main: int | None) -> _Tested:
    """p alone and in the family; NaN for what has too few cases to be called anything."""
    alone = np.where(sums.cases >= FEWEST_CASES, p_values(sums), np.nan)
    found = adjusted(alone, main)
    return _Tested(alone, found.p, found.rank)


def _word(
    p: float, mean: float, low: float, high: float, margin: float, cases: int, level: float
) -> Word:
    if cases < FEWEST_CASES:
        return "unsettled"
    if -margin <= low and high <= margin:
        return "same"
    if p <= 1 - level + 1e-12 and mean != 0:
        return "better" if mean > 0 else "worse"
    return "unsettled"
