"""Files of cases on their way in: what came, how it is read, and which cases came of it."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from epistem.core.errors import Conflict, NotFound
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

PIECE_BYTES = 4_000_000
"""Well below the largest packet that the server takes."""
OPEN_DAYS = 2
"""A file that nobody kept goes after so long."""
_COLUMNS = "id, file, size, status, reading, total, done, created_at, begun_by"


@dataclass(frozen=True)
class Import:
    """`reading` is JSON: how the file is read, and what its columns mean. `done` of `total` cases are in."""

    id: int
    file: str
    size: int
    status: str
    reading: dict[str, Any]
    total: int
    done: int
    created_at: datetime
    begun_by: str


@dataclass(frozen=True)
class Came:
    """A case that came in, or was changed: its revision before (None of a new one) and after."""

    case_id: int
    number: int
    line: int
    was: int | None
    became: int


def begin(tx: Transaction, subject: Subject, file: str, pieces: Iterable[bytes], size: int) -> int:
    """Have a file here that is not yet kept; its number. Files that nobody kept are cleared away."""
    tx.run(
        "DELETE FROM imports WHERE subject_id = %s AND status = 'open' "
        "AND created_at < NOW() - INTERVAL %s DAY",
        (subject.id, OPEN_DAYS),
    )
    number = tx.insert(
        "INSERT INTO imports (subject_id, file, size, reading, begun_by) VALUES (%s, %s, %s, '{}', %s)",
        (subject.id, file, size, tx.by),
    )
    for at, piece in enumerate(pieces):
        sql = "INSERT INTO import_pieces (import_id, piece, content) VALUES (%s, %s, %s)"
        tx.run(sql, (number, at, piece))
    return number


def get(tx: Transaction, subject: Subject, number: int, *, lock: bool = False) -> Import:
    row = tx.first(
        f"SELECT {_COLUMNS} FROM imports WHERE subject_id = %s AND id = %s"
        f"{' FOR UPDATE' if lock else ''}",
        (subject.id, number),
    )
    if row is None:
        raise NotFound(
            f"There is no import {number} here. Files that are not kept go after {OPEN_DAYS} days.",
            field="import_id",
        )
    return _from_row(row)


def latest(tx: Transaction, subject: Subject, most: int) -> list[Import]:
    """Those that cases came of, newest first."""
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM imports WHERE subject_id = %s AND status <> 'open' "
        "ORDER BY id DESC LIMIT %s",
        (subject.id, most),
    )
    return [_from_row(row) for row in rows]


def content_of(tx: Transaction, number: int) -> bytes:
    """The file as it came. Raises Conflict when it is no longer here."""
    rows = tx.rows(
        "SELECT content FROM import_pieces WHERE import_id = %s ORDER BY piece", [number]
    )
    if not rows:
        raise Conflict("The file of this import is kept no longer. Choose it again.")
    return b"".join(row[0] for row in rows)


def set_reading(tx: Transaction, number: int, reading: dict[str, Any]) -> None:
    tx.run("UPDATE imports SET reading = %s WHERE id = %s", (dumps(reading), number))


def set_status(tx: Transaction, number: int, status: str, total: int | None = None) -> None:
    """With a `total` it is counted from nothing. The file is let go where nothing more is to come of it."""
    if total is None:
        tx.run("UPDATE imports SET status = %s WHERE id = %s", (status, number))
    else:
        sql = "UPDATE imports SET status = %s, total = %s, done = 0 WHERE id = %s"
        tx.run(sql, (status, total, number))
    if status in ("kept", "undone"):
        tx.run("DELETE FROM import_pieces WHERE import_id = %s", [number])


def note(tx: Transaction, number: int, came: Sequence[Came], done: int) -> None:
    """These came in; `done` more of its cases are dealt with."""
    tx.run_many(
        "INSERT INTO import_cases (import_id, case_id, line, was, became) VALUES (%s, %s, %s, %s, %s) "
        "ON DUPLICATE KEY UPDATE became = VALUES(became)",
        [(number, each.case_id, each.line, each.was, each.became) for each in came],
    )
    tx.run("UPDATE imports SET done = done + %s WHERE id = %s", (done, number))


def came_of(tx: Transaction, number: int) -> list[Came]:
    rows = tx.rows(
        "SELECT i.case_id, c.number, i.line, i.was, i.became FROM import_cases i "
        "JOIN cases c ON c.id = i.case_id WHERE i.import_id = %s ORDER BY c.number",
        [number],
    )
    return [Came(*row) for row in rows]


def _from_row(row: tuple[Any, ...]) -> Import:
    number, file, size, status, reading, *rest = row
    return Import(number, file, size, status, json.loads(reading), *rest)
