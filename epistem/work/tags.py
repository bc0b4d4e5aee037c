"""How an arm fared on the cases of each tag."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from epistem.core.errors import InvalidInput
from epistem.core.trials.tallies import shares_of
from epistem.store import marks, trial_cases, trials
from epistem.store.database import Transaction
from epistem.store.trials import Trial

MOST_TAGS = 30
FEWEST_CASES = 2


class OfTag(NamedTuple):
    """In points of 100, over the cases that both arms answered."""

    tag: str
    cases: int
    rate: float
    baseline_rate: float
    difference: float


def by_tag(
    tx: Transaction,
    trial: Trial,
    arm: int,
    baseline: int,
    measure: int | None,
    *,
    looking: bool = False,
) -> list[OfTag]:
    """The most frequent tags of the trial's cases, the greatest loss first; one that all cases have
    tells nothing and is left out. Raises InvalidInput for an arm or measure that is not there."""
    arms = len(trials.arms_of(tx, trial.id))
    for name, value, most in (
        ("arm", arm, arms),
        ("baseline", baseline, arms),
        ("measure", measure, len(trial.measures)),
    ):
        if value is not None and value >= most:
            raise InvalidInput(f"{name}={value} is not there; they count from 0.", field=name)
    repeats = trial.plan.repeats
    found = marks.all_of(
        tx,
        trial.id,
        trial.columns,
        trial.sight(looking=looking),
        arms=arms,
        cases=trial.asked,
        repeats=repeats,
    )
    asked = trial.required if measure is None else [measure]
    shares = shares_of(found, arms, trial.asked, asked)
    both = ~np.isnan(shares[arm]) & ~np.isnan(shares[baseline])
    told = []
    for tag, positions in trial_cases.cases_by_tag(tx, trial.id).items():
        at = np.array(positions)
        at = at[both[at]]
        if len(at) < FEWEST_CASES or len(positions) == trial.asked:
            continue
        here, there = (100 * float(shares[a, at].mean()) for a in (arm, baseline))
        told.append(OfTag(tag, len(at), here, there, here - there))
    told.sort(key=lambda each: -each.cases)
    return sorted(told[:MOST_TAGS], key=lambda each: (each.difference, each.tag))
