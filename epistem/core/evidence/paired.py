"""Differences against the baseline, paired by case: a test and an interval in closed form.

Student's t as if two more cases had been seen, one for each side (+c and −c). For one repeat a
case this is the interval of D. G. Bonett and R. M. Price, J. Educ. Behav. Stat. 37 (2012) 479–488,
with t for z. The two cases keep an interval from being narrow only because nothing has differed yet.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import special

Floats = NDArray[np.float64]

NOTHING = 1e-9
"""A difference of shares that is smaller is 0: thirds of repeats do not add up exactly."""


class Paired(NamedTuple):
    """Sums over the cases of each comparison, arrays of one shape; differences are in −1 to 1.

    `cases` had answers from both arms, `moved` of them a difference that is not 0.
    """

    cases: Floats
    total: Floats
    squares: Floats
    moved: Floats

    @property
    def mean(self) -> Floats:
        """The difference as seen; NaN without cases."""
        with np.errstate(invalid="ignore"):
            return np.where(self.cases > 0, self.total / np.maximum(self.cases, 1), np.nan)

    def times(self, factor: Floats) -> Paired:
        """The same differences seen on `factor` times as many cases."""
        return Paired(*(np.asarray(each) * factor for each in self))


def case_shares(passed: NDArray[np.int64], total: NDArray[np.int64]) -> Floats:
    """Each case's share of passes; NaN where nothing was judged. Repeats are averaged here."""
    with np.errstate(invalid="ignore"):
        return np.where(total > 0, passed / np.maximum(total, 1), np.nan)


def paired(differences: Floats) -> Paired:
    """Sums over the last axis, the cases. NaN marks a case that one of the arms has nothing for."""
    seen = ~np.isnan(differences)
    tidy = np.where(seen & (np.abs(differences) >= NOTHING), differences, 0.0)
    return Paired(
        seen.sum(axis=-1).astype(float),
        tidy.sum(axis=-1),
        np.square(tidy).sum(axis=-1),
        (tidy != 0).sum(axis=-1).astype(float),
    )


def p_values(of: Paired) -> Floats:
    """Two-sided, that there is no difference; 1 with fewer than two cases.

    The two added cases differ by the root mean square of the differences that are not 0.
    """
    middle, error = _middle_and_error(of, _usual_square(of))
    enough = of.cases >= 2
    with np.errstate(divide="ignore", invalid="ignore"):
        t = np.where(error > 0, np.abs(middle) / error, 0.0)
    tail = special.stdtr(np.maximum(of.cases - 1, 1), -t)
    return np.where(enough, np.minimum(1.0, 2 * tail), 1.0)


def ends(
    of: Paired, alpha_low: Floats | float, alpha_high: Floats | float
) -> tuple[Floats, Floats]:
    """The ends of the interval, each read at the level 1 − alpha of its own.

    An end that leaves out 0 is that of the test; for any other the two added cases differ by 1, as
    far as cases can. With fewer than two cases, −1 and 1.
    """
    tight = _middle_and_error(of, _usual_square(of))
    wide = _middle_and_error(of, np.ones_like(of.cases))
    free = np.maximum(of.cases - 1, 1)
    found = []
    for sign, alpha in ((-1, alpha_low), (1, alpha_high)):
        reach = special.stdtrit(free, 1 - np.asarray(alpha) / 2)
        near = tight[0] + sign * reach * tight[1]
        far = wide[0] + sign * reach * wide[1]
        end = np.where(sign * near < 0, near, far)
        found.append(np.where(of.cases >= 2, np.clip(end, -1, 1), float(sign)))
    return found[0], found[1]


def mean_ends(of: Paired, alpha: float) -> tuple[Floats, Floats]:
    """The ends of an interval for the mean itself, as if two more cases had been seen that deviate as
    much as the others do, one to each side. With fewer than two cases, −1 and 1."""
    middle, error = _middle_and_error(of, _usual_square(of))
    reach = special.stdtrit(np.maximum(of.cases - 1, 1), 1 - alpha / 2) * error
    enough = of.cases >= 2
    return np.where(enough, middle - reach, -1.0), np.where(enough, middle + reach, 1.0)


def _usual_square(of: Paired) -> Floats:
    return np.where(of.moved > 0, of.squares / np.maximum(of.moved, 1), 1.0)


def _middle_and_error(of: Paired, added_square: Floats) -> tuple[Floats, Floats]:
    """The mean of all cases with the two added ones, and its standard error."""
    n = of.cases + 2
    middle = of.total / n
    variance = (of.squares + 2 * added_square) / n - np.square(middle)
    return middle, np.sqrt(np.maximum(variance, 0.0) / n)
