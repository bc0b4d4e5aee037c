"""Marks: one narrow row a reading, clustered by its place, read by ranges into NumPy."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from epistem.core.trials.marks import Mark, Marks, Sight, no_marks, packed
from epistem.store.database import Transaction

A_TIME = 20_000
"""Marks that one statement reads, put together by the server."""


def insert(tx: Transaction, trial_id: int, marks: Sequence[Mark]) -> None:
    """Written out as numbers and hexadecimal digits, which need no escaping: this is done for every
    reading of a trial."""
    rows = [
        f"({trial_id:d},{m.arm:d},{m.case_at:d},{m.repeat_no:d},{m.landed:d},x'{packed(m).hex()}')"
        for m in marks
    ]
    columns = "trial_id, arm, case_at, repeat_no, landed, packed"
    tx.run(f"INSERT INTO marks ({columns}) VALUES {','.join(rows)}")


class Columns(NamedTuple):
    """What a trial's marks tell: a verdict on each of its `measures`, and `scores` of some."""

    measures: int
    scores: int


def all_of(
    tx: Transaction,
    trial_id: int,
    columns: Columns,
    sight: Sight,
    *,
    arms: int,
    cases: int,
    repeats: int,
) -> Marks:
    """Those of a trial that are in sight, in the order of their landing."""
    where = "arm BETWEEN %s AND %s AND case_at BETWEEN %s AND %s"
    return _read(tx, trial_id, where, _ranges(arms, cases, repeats), columns).seen(sight)


def after(
    tx: Transaction, trial_id: int, columns: Columns, sight: Sight, landed: int, most: int
) -> Marks:
    """Those in sight of the `most` that landed after that one, in the order of their landing."""
    ranges = [(landed + 1, landed + most)]
    return _read(tx, trial_id, "landed BETWEEN %s AND %s", ranges, columns).seen(sight)


def at_cases(
    tx: Transaction,
    trial_id: int,
    columns: Columns,
    sight: Sight,
    arms: Sequence[int],
    cases: Sequence[int],
) -> Marks:
    """Those in sight of these arms over the cases at these places."""
    size = size_of(tx, trial_id)
    if size is None or not arms or not cases:
        return no_marks(*columns)
    blob = bytearray()
    places = ", ".join(f"({arm:d}, {case:d})" for arm in arms for case in cases)
    sql = f"SELECT packed FROM marks WHERE trial_id = %s AND (arm, case_at) IN ({places})"
    for (packed_,) in tx.rows(sql, [trial_id]):
        blob += packed_
    return Marks(blob, size, columns.scores, columns.measures).seen(sight)


def size_of(tx: Transaction, trial_id: int) -> int | None:
    """Bytes of each mark of the trial; None while it has none."""
    row = tx.first("SELECT LENGTH(packed) FROM marks WHERE trial_id = %s LIMIT 1", [trial_id])
    return None if row is None else int(row[0])


def _read(
    tx: Transaction, trial_id: int, where: str, ranges: Iterable[tuple[int, ...]], columns: Columns
) -> Marks:
    measures, scores = columns
    size = size_of(tx, trial_id)
    if size is None:
        return no_marks(measures, scores)
    tx.run("SET SESSION group_concat_max_len = %s", [max(A_TIME * size, 1_048_576)])
    blob = bytearray()
    for given in ranges:
        row = tx.first(
            f"SELECT GROUP_CONCAT(packed SEPARATOR '') FROM marks WHERE trial_id = %s AND {where}",
            (trial_id, *given),
        )
        if row is not None and row[0] is not None:
            blob += row[0]
    return Marks(blob, size, scores, measures)


def _ranges(arms: int, cases: int, repeats: int) -> Iterator[tuple[int, int, int, int]]:
    """(first arm, last arm, first case, last case), each of A_TIME places at most."""
    an_arm = max(cases * repeats, 1)
    if an_arm <= A_TIME:
        step = A_TIME // an_arm
        for arm in range(0, arms, step):
            yield arm, arm + step - 1, 0, cases
        return
    step = max(A_TIME // repeats, 1)
    for arm in range(arms):
        for case in range(0, cases, step):
            yield arm, arm, case, case + step - 1
