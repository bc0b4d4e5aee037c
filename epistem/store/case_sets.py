"""Named sets of cases: a filter that is kept, or cases chosen by hand."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from epistem.core.errors import InvalidInput, NotFound
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

MOST = 200
"""Sets of one subject."""


@dataclass(frozen=True)
class CaseSet:
    """`numbers` are those of cases chosen by hand; None where the set is all that `find` finds."""

    name: str
    find: str
    numbers: list[int] | None
    changed_by: str
    changed_at: datetime


def all_of(tx: Transaction, subject: Subject) -> list[CaseSet]:
    """By name."""
    rows = tx.rows(
        "SELECT name, find, numbers, changed_by, changed_at FROM case_sets WHERE subject_id = %s "
        "ORDER BY name",
        [subject.id],
    )
    return [
        CaseSet(name, find, None if told is None else json.loads(told), by, at)
        for name, find, told, by, at in rows
    ]


def get(tx: Transaction, subject: Subject, name: str) -> CaseSet:
    found = next((each for each in all_of(tx, subject) if each.name == name), None)
    if found is None:
        raise NotFound(f"There is no set “{name}” of these cases.", field="set")
    return found


def put(
    tx: Transaction, subject: Subject, name: str, find: str, numbers: Sequence[int] | None
) -> None:
    """Make it, or make it anew. Raises InvalidInput for one that is too many."""
    there = {each.name for each in all_of(tx, subject)}
    if name not in there and len(there) >= MOST:
        raise InvalidInput(f"There are {MOST} sets already. Remove one first.", field="set")
    told = None if numbers is None else dumps(sorted(set(numbers)))
    tx.run(
        "INSERT INTO case_sets (subject_id, name, find, numbers, changed_by) VALUES (%s, %s, %s, %s, %s) "
        "ON DUPLICATE KEY UPDATE find = VALUES(find), numbers = VALUES(numbers), "
        "changed_by = VALUES(changed_by)",
        (subject.id, name, "" if numbers is not None else find, told, tx.by),
    )


def delete(tx: Transaction, subject: Subject, name: str) -> None:
    """Its cases stay. Raises NotFound."""
    get(tx, subject, name)
    tx.run("DELETE FROM case_sets WHERE subject_id = %s AND name = %s", (subject.id, name))
