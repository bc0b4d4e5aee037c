"""How cases fared in a trial: of each arm and case what came of each repeat."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from epistem.core.cases.filters import Fared
from epistem.core.trials.marks import FAILED, PASSED, Marks

WAITING, FELL, STOOD, SILENT, UNSAID = ".", "f", "p", "u", "n"
"""A letter for each repeat: none yet, failed, passed, no answer came, nothing was found to say."""


def outcomes(marks: Marks, required: Sequence[int]) -> NDArray[np.str_]:
    """A letter for each mark: an answer fails by one required measure, and passes if any lets it pass."""
    asked = marks.verdicts[:, list(required)]
    told = np.full(len(marks), UNSAID)
    told[(asked == PASSED).any(axis=1)] = STOOD
    told[(asked == FAILED).any(axis=1)] = FELL
    told[~marks.answered] = SILENT
    return told


def strips(marks: Marks, required: Sequence[int], repeats: int) -> dict[tuple[int, int], str]:
    """By arm and case a letter for each repeat, in order; those without a mark are left out."""
    found: dict[tuple[int, int], list[str]] = {}
    for arm, case, repeat, letter in zip(
        marks.arm.tolist(),
        marks.case.tolist(),
        marks.repeat.tolist(),
        outcomes(marks, required).tolist(),
        strict=True,
    ):
        found.setdefault((arm, case), [WAITING] * repeats)[repeat] = letter
    return {place: "".join(letters) for place, letters in found.items()}


def fared_by_case(
    marks: Marks, required: Sequence[int], arms: Collection[int]
) -> Mapping[int, Fared]:
    """By the place of a case how it fared with these arms together; without those that nothing was said of."""
    of_arms = np.isin(marks.arm, list(arms))
    told, cases = outcomes(marks, required)[of_arms], marks.case[of_arms]
    size = int(cases.max()) + 1 if len(cases) else 0
    passed = np.bincount(cases[told == STOOD], minlength=size)
    judged = passed + np.bincount(cases[told == FELL], minlength=size)
    return {int(at): Fared(int(passed[at]), int(judged[at])) for at in np.flatnonzero(judged)}
