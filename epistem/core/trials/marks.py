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

NONE, FAILED, PASSED, UNTOLD = 0, 1, 2, 3
_HEAD = Struct(">HIHIBQI")
_LANDED = 8
"""Where in a mark its landing number begins."""
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


def with_verdicts(packed_: bytes, landed: int, judged: Iterable[tuple[int, bool | None]]) -> bytes:
    """A mark that landed before, with more that was found since; it lands once more."""
    told = bytearray(packed_)
    told[_LANDED : _LANDED + 4] = landed.to_bytes(4, "big")
    for measure, verdict in enumerate(verdicts_of(len(told) - _HEAD.size, judged)):
        if verdict != NONE:
            told[_HEAD.size + measure] = verdict
    return bytes(told)


class Sight(NamedTuple):
    """What of a trial is in sight: all but the cases held out, by their places; or, `looking`, those alone."""

    held_out: frozenset[int] = frozenset()
    looking: bool = False

    def hides(self, case_at: int) -> bool:
        return (case_at in self.held_out) != self.looking


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

    def seen(self, sight: Sight) -> Marks:
        """Those that may be seen."""
        if not sight.held_out and not sight.looking:
            return self
        keep = np.isin(self.case, list(sight.held_out)) == sight.looking
        for name, column in vars(self).items():
            setattr(self, name, column[keep])
        return self


def verdicts_in(size: int, scores: int = 0) -> int:
    """How many verdicts a mark of so many bytes has."""
    return size - _HEAD.size - 4 * scores


def no_marks(measures: int, scores: int = 0) -> Marks:
    """As many columns as the marks of a trial will have, and no row."""
    return Marks(b"", _HEAD.size + measures + 4 * scores, scores)


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
