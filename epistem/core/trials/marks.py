"""Marks: what statistics read of a reading, packed into a few bytes, many at a time into NumPy.

A mark is big-endian (so that SQL can write one, too): arm u2, case u4, repeat u2, landing number u4,
whether an answer came u1, millionths of a cent u8, hundredths of a millisecond u4; then a byte for
each measure (NONE, FAILED, PASSED, or UNTOLD where a check can't tell), and a float for each measure
that tells a score, NaN where it told none.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from math import isfinite, nan
from struct import Struct
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from epistem.core.evidence.scores import Scored
from epistem.core.evidence.sentence import Effort
from epistem.core.evidence.verdict import Tally

NONE, FAILED, PASSED, UNTOLD = 0, 1, 2, 3
_HEAD = Struct(">HIHIBQI")
_MOST_MS, _MOST_CENTS, _MOST_SCORE = 4e7, 1e9, 1e12


class Mark(NamedTuple):
    """Of one reading. `verdicts` has a byte for each measure of the trial."""

    arm: int
    case_at: int
    repeat_no: int
    landed: int
    answered: bool
    cents: float
    ms: float
    verdicts: bytes
    scores: tuple[float, ...] = ()


def packed(mark: Mark) -> bytes:
    """What is not a number, or too large for its place, is bounded."""
    head = _HEAD.pack(
        mark.arm,
        mark.case_at,
        mark.repeat_no,
        mark.landed,
        mark.answered,
        round(_bounded(mark.cents, _MOST_CENTS) * 1e6),
        round(_bounded(mark.ms, _MOST_MS) * 100),
    )
    tail = Struct(f">{len(mark.scores)}f").pack(*mark.scores) if mark.scores else b""
    return head + mark.verdicts + tail


def verdicts_of(measures: int, judged: Iterable[tuple[int, bool | None]]) -> bytes:
    """A byte for each measure, from (measure, passed) of those that were found; None can't tell."""
    told = bytearray(measures)
    for measure, passed in judged:
        told[measure] = UNTOLD if passed is None else PASSED if passed else FAILED
    return bytes(told)


def scores_of(
    scored: Sequence[int], judged: Iterable[tuple[int, float | None]]
) -> tuple[float, ...]:
    """A number for each of the measures that tell a score (`scored`), from (measure, score)."""
    told = {measure: score for measure, score in judged if score is not None}
    return tuple(_finite(told.get(measure)) for measure in scored)


class Marks:
    """Many marks, as columns: `arm`, `case`, `repeat`, `landed` (int64), `answered` (bool), `cents`,
    `ms` (float64), `verdicts` (marks × measures, uint8), `scores` (marks × scores)."""

    def __init__(
        self, blob: bytes | bytearray, size: int, scores: int = 0, measures: int = 0
    ) -> None:
        """`size` is that of one mark in bytes; they are put in the order of their landing. Of `measures`
        that they are too short for they say nothing. Raises ValueError if the blob is not made of them."""
        rows = np.frombuffer(blob, dtype=_kind(verdicts_in(size, scores), scores))
        rows = rows[np.argsort(rows["landed"], kind="stable")]
        self.arm = rows["arm"].astype(np.int64)
        self.case = rows["case"].astype(np.int64)
        self.repeat = rows["repeat"].astype(np.int64)
        self.landed = rows["landed"].astype(np.int64)
        self.answered = rows["answered"] > 0
        self.cents = rows["cents"].astype(np.float64) / 1e6
        self.ms = rows["ms"].astype(np.float64) / 100
        lacking = max(measures - rows["verdicts"].shape[1], 0)
        self.verdicts = np.pad(rows["verdicts"], ((0, 0), (0, lacking)), constant_values=NONE)
        self.scores = rows["scores"].astype(np.float64)

    def __len__(self) -> int:
        return len(self.arm)


def verdicts_in(size: int, scores: int = 0) -> int:
    """How many verdicts a mark of so many bytes has."""
    return size - _HEAD.size - 4 * scores


def no_marks(measures: int, scores: int = 0) -> Marks:
    """As many columns as the marks of a trial will have, and no row."""
    return Marks(b"", _HEAD.size + measures + 4 * scores, scores)


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


def verdict_texts(marks: Marks, measures: int) -> list[str]:
    """Of each mark a digit for each measure; empty where no answer came."""
    digits = (marks.verdicts[:, :measures] + ord("0")).tobytes().decode("ascii")
    return [
        digits[at * measures : (at + 1) * measures] if came else ""
        for at, came in enumerate(marks.answered.tolist())
    ]


@lru_cache(maxsize=256)
def _kind(measures: int, scores: int) -> np.dtype:
    if measures < 0:
        raise ValueError("a mark is shorter than its head")
    return np.dtype(
        [
            ("arm", ">u2"),
            ("case", ">u4"),
            ("repeat", ">u2"),
            ("landed", ">u4"),
            ("answered", "u1"),
            ("cents", ">u8"),
            ("ms", ">u4"),
            ("verdicts", "u1", (measures,)),
            ("scores", ">f4", (scores,)),
        ]
    )


def _finite(value: float | None) -> float:
    return value if value is not None and abs(value) < _MOST_SCORE else nan


def _bounded(value: float, most: float) -> float:
    return min(max(value, 0.0), most) if isfinite(value) else 0.0
