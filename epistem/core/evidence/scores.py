"""Scores as evidence: means, and differences against the baseline, paired by case.

Scores are brought to 0–1 by the range that was seen, so that a difference lies in −1 to 1 and the
intervals of `paired` hold for them: two cases more, one for each side, keep an interval from being
narrow only because nothing has differed yet. Answers that never came have no score and are left out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from epistem.core.evidence.family import adjusted
from epistem.core.evidence.intervals import LEVEL, Interval
from epistem.core.evidence.paired import Paired, ends, mean_ends, p_values, paired
from epistem.core.evidence.verdict import FEWEST_CASES

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
ScoreWord = Literal["higher", "lower", "same", "unsettled"]
MOST_BINS = 24
LEAST_RANGE = 1e-9
MARGINS_WIDE = 4
"""Scores that have not differed yet may reach so many margins all the same: else “same” would be told by nothing."""


class Mean(NamedTuple):
    """The mean over cases of each case's mean score."""

    value: float
    interval: Interval
    answers: int
    cases: int


@dataclass(frozen=True)
class ScoreDifference:
    """An arm against the baseline, in the score's unit. `p` stands in the family of all scores."""

    arm: int
    difference: float | None
    interval: Interval | None
    word: ScoreWord
    cases: int
    p: float | None


@dataclass(frozen=True)
class Scores:
    """Of one measure (None: of all together): a mean and a strip for each arm, and the differences of all
    but the baseline.

    A strip counts the answers in bins of equal width; `edges` are one more than there are bins.
    """

    measure: int | None
    means: list[Mean | None]
    differences: list[ScoreDifference]
    edges: list[float]
    strips: list[list[int]]


class Scored(NamedTuple):
    """The readings of one measure (None: of all together) that have a score: arrays of one length."""

    measure: int | None
    arm: Ints
    case: Ints
    score: Floats


def scores_as_evidence(
    each: list[Scored],
    margins: list[float],
    *,
    arms: int,
    cases: int,
    baseline: int = 0,
    level: float = LEVEL,
) -> list[Scores]:
    """For each measure with scores, in order; `margins` are in the unit of each. No chance is in it."""
    middles = [_case_means(one, arms, cases) for one in each]
    ranges = [
        max(_range(one.score), MARGINS_WIDE * margin, LEAST_RANGE)
        for one, margin in zip(each, margins, strict=True)
    ]
    others = [arm for arm in range(arms) if arm != baseline]
    rows = [(at, arm) for at in range(len(each)) for arm in others]
    found: dict[tuple[int, int], ScoreDifference] = {}
    if rows:
        told = np.array(
            [(middles[at][arm] - middles[at][baseline]) / ranges[at] for at, arm in rows]
        )
        sums = paired(told)
        alone = np.where(sums.cases >= FEWEST_CASES, p_values(sums), np.nan)
        p = adjusted(alone, None).p
        low, high = ends(sums, 1 - level, 1 - level)
        for row, (at, arm) in enumerate(rows):
            scale = ranges[at]
            found[at, arm] = _difference(
                arm,
                sums,
                row,
                float(p[row]),
                low[row] * scale,
                high[row] * scale,
                scale,
                margins[at],
                level,
            )
    return [
        Scores(
            one.measure,
            [_mean(one, middles[at][arm], arm, ranges[at]) for arm in range(arms)],
            [found[at, arm] for arm in others],
            *_strips(one, arms),
        )
        for at, one in enumerate(each)
    ]


def _difference(
    arm: int,
    sums: Paired,
    row: int,
    p: float,
    low: float,
    high: float,
    scale: float,
    margin: float,
    level: float,
) -> ScoreDifference:
    cases = int(sums.cases[row])
    if cases == 0:
        return ScoreDifference(arm, None, None, "unsettled", 0, None)
    mean = float(sums.mean[row]) * scale
    word: ScoreWord = "unsettled"
    if cases >= FEWEST_CASES:
        if -margin <= low and high <= margin:
            word = "same"
        elif p <= 1 - level + 1e-12 and mean != 0:
            word = "higher" if mean > 0 else "lower"
    asked = None if np.isnan(p) else p
    return ScoreDifference(arm, mean, Interval(float(low), float(high)), word, cases, asked)


def _case_means(one: Scored, arms: int, cases: int) -> Floats:
    """arms × cases; NaN where there is no score."""
    place = one.arm * cases + one.case
    counts = np.bincount(place, minlength=arms * cases)
    sums = np.bincount(place, weights=one.score, minlength=arms * cases)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(counts > 0, sums / np.maximum(counts, 1), np.nan).reshape(arms, cases)


def _mean(one: Scored, of_cases: Floats, arm: int, scale: float) -> Mean | None:
    seen = of_cases[~np.isnan(of_cases)]
    if len(seen) == 0:
        return None
    value = float(seen.mean())
    low, high = mean_ends(paired((seen - value)[None, :] / scale), 1 - LEVEL)
    at = Interval(value + float(low[0]) * scale, value + float(high[0]) * scale)
    return Mean(value, at, int((one.arm == arm).sum()), len(seen))


def _range(score: Floats) -> float:
    return float(score.max() - score.min()) if len(score) else 0.0


def _strips(one: Scored, arms: int) -> tuple[list[float], list[list[int]]]:
    """Whole numbers have a bin each where they are few."""
    if len(one.score) == 0:
        return [], [[] for _ in range(arms)]
    low, high = float(one.score.min()), float(one.score.max())
    whole = bool(np.all(one.score == np.round(one.score)))
    if whole and high - low < MOST_BINS:
        edges = np.arange(low - 0.5, high + 1.0, 1.0)
    else:
        edges = np.linspace(low, high if high > low else low + 1, MOST_BINS + 1)
    strips = [np.histogram(one.score[one.arm == arm], edges)[0].tolist() for arm in range(arms)]
    return edges.tolist(), strips
