"""What a set of cases can show: how many more would settle it, and the smallest difference it shows.

Worked out from the test itself (`paired`), for a true difference that is met four times in five.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import ceil, sqrt
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import special

from epistem.core.evidence.paired import Paired, case_shares, ends, p_values

POWER = 0.8
MOST_CASES = 100_000
ALIKE = 0.5
"""How alike the repeats of a case are taken to be where nothing is known: halfway from independent
to all the same."""
SHARED = 0.7
"""How much of what makes a case hard is taken to be the same for both arms."""
USUAL_RATE = 0.8


class Settling(NamedTuple):
    """`more` cases would bring the word, if the difference and its spread stay as they are."""

    more: int
    word: Literal["a difference", "same"]


class Spread(NamedTuple):
    """The variances of a paired difference: `between` cases, and `within` a case for one answer each.

    The difference over `repeats` has `between + within / repeats`. `alike` is the share of it that no
    repeat takes away. `of` says where it is from: past readings, or a guess from a pass rate.
    """

    between: float
    within: float
    of: Literal["past", "rate", "guess"] = "guess"

    @property
    def alike(self) -> float:
        whole = self.between + self.within
        return self.between / whole if whole > 0 else ALIKE


def settling(sums: Paired, row: int, margin: float, rank: float, alpha: float) -> Settling | None:
    """The fewest more cases that would settle a comparison; None if no number up to MOST_CASES does.

    `rank` is by how many its p counts for standing in a family; the margin is in −1 to 1.
    """
    one = Paired(*(np.asarray(each[row : row + 1], dtype=float) for each in sums))
    cases = float(one.cases[0])
    if cases < 2:
        return None

    def differs(n: int) -> bool:
        return bool(p_values(one.times(np.array([n / cases])))[0] <= alpha / rank)

    def same(n: int) -> bool:
        low, high = ends(one.times(np.array([n / cases])), alpha, alpha)
        return bool(-margin <= low[0] and high[0] <= margin)

    found: list[Settling] = []
    least = ceil(cases / 10)  # fewer would promise what the next few cases undo
    start = max(int(cases), 6)
    if abs(float(one.mean[0])) > 0 and (n := _first(differs, start)) is not None:
        found.append(Settling(max(n - int(cases), least), "a difference"))
    if abs(float(one.mean[0])) < margin and (n := _first(same, start)) is not None:
        found.append(Settling(max(n - int(cases), least), "same"))
    return min(found, default=None)


@lru_cache(maxsize=512)
def fewest_for_same(margin: float, alpha: float) -> int | None:
    """The fewest cases for “same” within a margin (0–1) when nothing differs at all; None for never."""
    if margin <= 0:
        return None

    def same(n: int) -> bool:
        nothing = np.zeros(1)
        low, high = ends(Paired(np.array([float(n)]), nothing, nothing, nothing), alpha, alpha)
        return bool(-margin <= low[0] and high[0] <= margin)

    return _first(same, 6)


def spread_of(
    passed: NDArray[np.int64], total: NDArray[np.int64], baseline: int = 0
) -> Spread | None:
    """That of one measure over past readings: arrays of arms × cases. None without anything judged.

    With several arms that of their differences against the baseline, with one repeat split by ALIKE;
    with one arm from its pass rate. Two cases that differ, one a side, are added as in `paired`.
    """
    shares = case_shares(passed, total)
    if np.isnan(shares).all():
        return None
    seen, noise = [], []
    each = shares * (1 - shares) * total / np.maximum(total - 1, 1)  # of one answer, unbiased
    for arm in range(len(shares)):
        both = ~np.isnan(shares[arm]) & ~np.isnan(shares[baseline])
        if arm == baseline or both.sum() < 6:
            continue
        n = both.sum()
        d = (shares[arm] - shares[baseline])[both]
        moved = d[d != 0]
        added = float(np.mean(moved**2)) if moved.size else 1.0
        observed = float((np.sum(d**2) + 2 * added) / (n + 2) - (np.sum(d) / (n + 2)) ** 2)
        several = (total[arm] > 1) & (total[baseline] > 1) & both
        if several.any():
            within = float(np.mean((each[arm] + each[baseline])[several]))
            taken = float(
                np.mean((each[arm] / total[arm] + each[baseline] / total[baseline])[several])
            )
        else:
            within, taken = observed * (1 - ALIKE), observed * (1 - ALIKE)
        seen.append(max(observed - taken, observed * 0.05))
        noise.append(within)
    if seen:
        return Spread(float(np.mean(seen)), float(np.mean(noise)), "past")
    return guessed(float(np.nanmean(shares)), "rate")


def guessed(rate: float = USUAL_RATE, of: Literal["rate", "guess"] = "guess") -> Spread:
    """The spread to expect of a check that passes so often, with ALIKE and SHARED."""
    rate = min(max(rate, 0.05), 0.95)
    both = 2 * rate * (1 - rate)
    return Spread(both * ALIKE * (1 - SHARED), both * (1 - ALIKE), of)


def detectable(cases: int, repeats: int, spread: Spread, alpha: float) -> float | None:
    """The smallest true difference (0–1) that is called at level alpha four times in five.

    None if not even the largest is. A difference of d makes cases differ by itself: by d² in the
    square if it is spread over all, by d where it turns a few cases round; what lies between is taken
    by how alike repeats are.
    """
    if cases < 6 or repeats < 1:
        return None
    reach = special.stdtrit(cases - 1, 1 - alpha / 2) + special.stdtrit(cases - 1, POWER)
    alike = spread.alike + (1 - spread.alike) / repeats
    noise = spread.between + spread.within / repeats

    def met(d: float) -> bool:
        square = min(1.0, max(noise + d * d, d * alike))
        added = min(1.0, max(square, alike)) if repeats > 1 else 1.0
        middle = d * cases / (cases + 2)
        variance = (square * cases + 2 * added) / (cases + 2) - middle**2
        return bool(middle >= reach * sqrt(max(variance, 0.0) / (cases + 2)))

    low, high = 0.0, 1.0
    if not met(high):
        return None
    for _ in range(30):
        middle = (low + high) / 2
        low, high = (low, middle) if met(middle) else (middle, high)
    return high


def _first(holds: Callable[[int], bool], start: int) -> int | None:
    """The first number from `start` on that holds, for what holds from some number on."""
    low, high = start - 1, start
    while not holds(high):
        low, high = high, high * 2
        if low > MOST_CASES:
            return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if holds(middle) else (middle, high)
    return high
