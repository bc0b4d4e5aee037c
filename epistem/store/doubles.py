"""Cases that are alike, of which somebody said that they are no doubles."""

from __future__ import annotations

from epistem.store.database import Transaction
from epistem.store.subjects import Subject


def apart(tx: Transaction, subject: Subject) -> set[tuple[int, int]]:
    """Pairs of numbers, the smaller first."""
    rows = tx.rows("SELECT one, other FROM cases_apart WHERE subject_id = %s", [subject.id])
    return {(int(one), int(other)) for one, other in rows}


def set_apart(tx: Transaction, subject: Subject, one: int, other: int, apart: bool) -> None:
    """Say that they are no doubles, or that it is not said any more."""
    pair = (subject.id, min(one, other), max(one, other))
    if apart:
        sql = "INSERT IGNORE INTO cases_apart (subject_id, one, other, said_by) VALUES (%s, %s, %s, %s)"
        tx.run(sql, (*pair, tx.by))
    else:
        tx.run("DELETE FROM cases_apart WHERE subject_id = %s AND one = %s AND other = %s", pair)
