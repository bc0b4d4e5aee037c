"""What is counted of many marks for evidence: passes by case, scores, shares, and what arms cost.

Apart from the marks themselves: who records them has no need of what statistics need.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from epistem.core.evidence.scores import Scored
from epistem.core.evidence.sentence import Effort
from epistem.core.evidence.verdict import Tally
from epistem.core.trials.marks import FAILED, NONE, PASSED, UNTOLD, Marks


def tally_of(marks: Marks, arms: int, measures: int, cases: int) -> Tally:
    """How many answers each arm had judged, passed and missing, a measure and a case."""
    shape = (arms, measures, cases)
    passed = np.zeros(shape, dtype=np.int64)
    total, missing = np.zeros_like(passed), np.zeros_like(passed)
    place = marks.arm * cases + marks.case
    came = marks.answered
    # Trials made before it was noted what a missing answer was asked for.
    unknown = ~came & ~marks.verdicts[:, :measures].any(axis=1)

    def counted(which: np.ndarray) -> np.ndarray:
        return np.bincount(place[which], minlength=arms * cases).reshape(arms, cases)

    for measure in range(min(measures, marks.verdicts.shape[1])):
        verdict = marks.verdicts[:, measure]
        passed[:, measure] = counted(came & (verdict == PASSED))
        total[:, measure] = counted(came & ((verdict == PASSED) | (verdict == FAILED)))
        asked = verdict != NONE
        if unknown.any():
            asked = asked | (unknown & (total[:, measure].sum(axis=0) > 0)[marks.case])
        missing[:, measure] = counted(asked & ~came)
    return Tally(passed, total, missing)


def gathered(marks: Marks, originals: Mapping[int, int]) -> Marks:
    """What came of variations counts with the case that they vary, by the place of each: they are no
    cases of their own, and as such would make every interval look surer than it is."""
    if len(marks) and originals:
        of = np.arange(max(int(marks.case.max()), *originals) + 1)
        of[list(originals)] = list(originals.values())
        marks.case = of[marks.case]
    return marks


def untold_of(marks: Marks, arms: int, measures: int) -> list[list[int]]:
    """Of each arm and measure, how often the check could not tell."""
    return [
        [int(told) for told in (marks.verdicts[marks.arm == arm, :measures] == UNTOLD).sum(axis=0)]
        for arm in range(arms)
    ]


def scored_of(marks: Marks, scored: Sequence[int]) -> list[Scored]:
    """Of each measure that tells a score, the answers that have one."""
    found = []
    for at, measure in enumerate(scored):
        score = marks.scores[:, at]
        there = marks.answered & np.isfinite(score)
        found.append(Scored(measure, marks.arm[there], marks.case[there], score[there]))
    return found


def weighted_of(marks: Marks, weights: Sequence[float]) -> Scored:
    """Of each answer that a check says something of, the share of the weight that it passes, in percent."""
    told = marks.verdicts[:, : len(weights)]
    weight = np.asarray(weights)
    passed = ((told == PASSED) * weight).sum(axis=1)
    judged = (((told == PASSED) | (told == FAILED)) * weight).sum(axis=1)
    there = marks.answered & (judged > 0)
    share = 100 * passed[there] / judged[there]
    return Scored(None, marks.arm[there], marks.case[there], share)


def shares_of(marks: Marks, arms: int, cases: int, measures: Sequence[int]) -> NDArray[np.float64]:
    """The share of answers that passed all of these measures: arms × cases, 0–1.

    NaN where no answer came that they say something of. An answer passes all when it failed none and
    passed one.
    """
    told = marks.verdicts[:, list(measures)]
    failed = (told == FAILED).any(axis=1)
    good = ~failed & (told == PASSED).any(axis=1)
    place, judged = marks.arm * cases + marks.case, marks.answered & (failed | good)

    def counted(which: np.ndarray) -> np.ndarray:
        return np.bincount(place[which], minlength=arms * cases).reshape(arms, cases)

    total = counted(judged)
    with np.errstate(invalid="ignore"):
        return np.where(total > 0, counted(judged & good) / total, np.nan)


def efforts_of(marks: Marks, arms: int) -> list[Effort]:
    """What each arm's readings cost and took; medians are over those with an answer."""
    found = []
    for arm in range(arms):
        of_arm = marks.arm == arm
        good = of_arm & marks.answered
        answered, lost = int(good.sum()), int((of_arm & ~marks.answered).sum())
        if answered:
            cents, ms = float(marks.cents[good].mean()), float(np.median(marks.ms[good]))
            found.append(Effort(cents, ms, answered, lost))
        else:
            found.append(Effort(None, None, 0, lost))
    return found
