"""Are the words honest? Trials with a known truth, made up by the thousand, and what is said of them.

    python bench/honesty.py [--trials 500] [--seed 1]

Prints the coverage of intervals and how often a word is false, over cases × repeats × pass rates ×
how alike the repeats of a case are × whether both arms find the same cases hard. Nothing is asked of
a model and nothing stored: `core.evidence` alone is held against binomial answers in clusters.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator
from functools import cache
from itertools import product
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import special

from epistem.core.evidence.family import adjusted
from epistem.core.evidence.intervals import clopper_pearson_ends, effective_answers
from epistem.core.evidence.paired import ends, p_values, paired
from epistem.core.evidence.verdict import EARLY_LEVEL, FEWEST_CASES, LEVEL

CASES = (6, 10, 30, 100, 300)
REPEATS = (1, 3, 5, 10)
RATES = (0.5, 0.8, 0.95, 0.99)
ALIKE = {"none": 0.0, "strong": 0.5, "nearly all or nothing": 0.95}
HARDNESS = {"the same cases are hard": True, "other cases are hard": False}
TRUE = (0.0, -0.02, -0.05, -0.1, -0.2, 0.02, 0.04)
MARGIN = 0.02
ALPHA = 1 - LEVEL

Floats = NDArray[np.float64]


class Setting(NamedTuple):
    cases: int
    repeats: int
    rate: float
    alike: str
    hardness: str
    true: float


def settings() -> Iterator[Setting]:
    for cases, repeats, rate, alike, hardness, true in product(
        CASES, REPEATS, RATES, ALIKE, HARDNESS, TRUE
    ):
        if 0 < rate + true < 1:
            yield Setting(cases, repeats, rate, alike, hardness, true)


def shares(
    rng: np.random.Generator, quantiles: Floats, repeats: int, rate: float, alike: float
) -> Floats:
    """Shares of passes: each case's chance is Beta with that mean and correlation of repeats."""
    if alike == 0:
        chance = np.full_like(quantiles, rate)
    else:
        chance = np.interp(quantiles, *_quantiles(rate, alike))
    return rng.binomial(repeats, chance) / repeats


@cache
def _quantiles(rate: float, alike: float) -> tuple[Floats, Floats]:
    """Beta's quantiles on a grid: worked out once, read between its points."""
    at = (np.arange(40_001) + 0.5) / 40_001
    scale = 1 / alike - 1
    return at, special.betaincinv(rate * scale, (1 - rate) * scale, at)


def pair(rng: np.random.Generator, at: Setting, trials: int, arms: int = 2) -> list[Floats]:
    """The arms' shares, the first at the rate, the others off by the true difference."""
    quantiles = rng.random((trials, at.cases))
    found = []
    for arm in range(arms):
        if arm and not HARDNESS[at.hardness]:
            quantiles = rng.random((trials, at.cases))
        rate = at.rate + (at.true if arm else 0)
        found.append(shares(rng, quantiles, at.repeats, rate, ALIKE[at.alike]))
    return found


class Told(NamedTuple):
    covered: float
    rate_covered: float
    false_word: float
    false_same: float


def one_pair(rng: np.random.Generator, at: Setting, trials: int) -> Told:
    base, other = pair(rng, at, trials)
    sums = paired(other - base)
    low, high = ends(sums, ALPHA, ALPHA)
    p = p_values(sums)
    same = (low >= -MARGIN) & (high <= MARGIN)
    called = (p <= ALPHA) & ~same
    wrong = called & (np.sign(sums.mean) != np.sign(at.true)) if at.true else called
    worth = effective_answers(base, np.full_like(base, at.repeats))
    rate_low, rate_high = clopper_pearson_ends(base.mean(axis=1) * worth, worth)
    return Told(
        float(((low <= at.true) & (at.true <= high)).mean()),
        float(((rate_low <= at.rate) & (at.rate <= rate_high)).mean()),
        float(wrong.mean()),
        float(same.mean()) if abs(at.true) > MARGIN else 0.0,
    )


def families(
    rng: np.random.Generator, trials: int, main: int | None, arms: int = 4, checks: int = 6
) -> Iterator[tuple[Setting, float]]:
    """How often any word of a trial of so many arms and checks is false where nothing differs."""
    for cases, repeats, rate, alike, hardness in product(CASES, (1, 5), RATES, ALIKE, HARDNESS):
        at = Setting(cases, repeats, rate, alike, hardness, 0.0)
        p = []
        for _ in range(checks):
            base, *others = pair(rng, at, trials, arms)
            p += [p_values(paired(other - base)) for other in others]
        found = adjusted(np.stack(p, axis=-1), main)
        yield at, float((found.p.min(axis=1) <= ALPHA).mean())


def looking(rng: np.random.Generator, trials: int) -> tuple[float, float]:
    """False words when somebody looks after each tenth of a trial and ends at the first: with the
    level for early looks and then LEVEL at the end, and with LEVEL throughout."""
    at = Setting(300, 1, 0.8, "strong", "other cases are hard", 0.0)
    base, other = pair(rng, at, trials)
    honest, eager = np.zeros(trials, dtype=bool), np.zeros(trials, dtype=bool)
    for seen in range(30, at.cases + 1, 30):
        p = p_values(paired((other - base)[:, :seen]))
        honest |= p <= (ALPHA if seen == at.cases else 1 - EARLY_LEVEL)
        eager |= p <= ALPHA
    return float(honest.mean()), float(eager.mean())


def missing(rng: np.random.Generator, trials: int) -> tuple[float, float]:
    """False “better” where an arm loses 40% of its failing answers: counted as failed, left out."""
    passed = rng.binomial(5, 0.7, (2, trials, 40))
    lost = rng.binomial(5 - passed[1], 0.4)
    found = []
    for total in (np.full_like(lost, 5), 5 - lost):
        with np.errstate(invalid="ignore", divide="ignore"):
            other = np.where(total > 0, passed[1] / total, np.nan)
        sums = paired(other - passed[0] / 5)
        found.append(float(((p_values(sums) <= ALPHA) & (sums.mean > 0)).mean()))
    return found[0], found[1]


def main() -> None:
    sys.stdout.reconfigure(line_buffering=True)  # type: ignore[union-attr]
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("--trials", type=int, default=500)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    rng = np.random.default_rng(options.seed)
    assert min(CASES) >= FEWEST_CASES

    told = {at: one_pair(rng, at, options.trials) for at in settings()}
    print(f"{len(told):,} settings, {options.trials:,} trials each; a cell's own chance is about "
          f"±{196 * (0.05 * 0.95 / options.trials) ** 0.5:.1f} points\n")  # fmt: skip
    print("coverage in %: lowest and mean over the settings of a number of cases")
    for cases in CASES:
        own = [each for at, each in told.items() if at.cases == cases]
        covered, rate = ([100 * getattr(e, n) for e in own] for n in ("covered", "rate_covered"))
        words, same = max(e.false_word for e in own), max(e.false_same for e in own)
        print(f"  {cases:4} cases  differences {min(covered):5.1f} {np.mean(covered):5.1f}"
              f"   rates {min(rate):5.1f} {np.mean(rate):5.1f}"
              f"   false better or worse, most {100 * words:4.1f}   false same, most {100 * same:4.1f}")  # fmt: skip
    for name in ("covered", "rate_covered"):
        at = min(told, key=lambda each: getattr(told[each], name))
        print(f"  lowest {name}: {100 * getattr(told[at], name):.1f} at {at}")
    print(
        "\nfalse better or worse anywhere in a trial of 4 arms × 6 checks where nothing differs, in %"
    )
    for label, question in (("no main question", None), ("with a main question", 0)):
        found = dict(families(rng, options.trials, question))
        at = max(found, key=lambda each: found[each])
        mean = 100 * float(np.mean(list(found.values())))
        print(f"  {label}: mean {mean:.1f}, most {100 * found[at]:.1f} at {at}")
    honest, eager = looking(rng, 20 * options.trials)
    print(f"\nlooking ten times and ending at the first word: {100 * honest:.1f}% false "
          f"({100 * eager:.1f}% at the usual level throughout)")  # fmt: skip
    failed, left_out = missing(rng, 20 * options.trials)
    print(f"an arm that loses 40% of its failing answers: {100 * failed:.1f}% false “better” "
          f"({100 * left_out:.1f}% if they are left out)")  # fmt: skip


if __name__ == "__main__":
    main()
