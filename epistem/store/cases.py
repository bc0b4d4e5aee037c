"""Cases of a subject. A deleted one is only hidden, so that it can be brought back."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from epistem.core.cases.content import Case, checked
from epistem.core.errors import NotFound, Stale
from epistem.core.shapes import count
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

_COLUMNS = "id, number, revision, content, updated_at, deleted_at"


@dataclass(frozen=True)
class KeptCase:
    id: int
    number: int
    revision: int
    content: Case
    updated_at: datetime
    deleted_at: datetime | None = None


def keep(tx: Transaction, subject: Subject, case: Case) -> KeptCase:
    """Add a case under the next number. Raises InvalidInput for an input that is too long."""
    case = checked(case)
    tx.first("SELECT id FROM subjects WHERE id = %s FOR UPDATE", [subject.id])
    case_id = tx.insert(
        """
        INSERT INTO cases (subject_id, number, content)
        SELECT %s, COALESCE(MAX(number), 0) + 1, %s FROM cases WHERE subject_id = %s
        """,
        (subject.id, dumps(case.to_json()), subject.id),
    )
    row = tx.first(f"SELECT {_COLUMNS} FROM cases WHERE id = %s", [case_id])
    assert row is not None
    return _from_row(row)


def get(tx: Transaction, subject: Subject, number: int) -> KeptCase:
    row = tx.first(
        f"SELECT {_COLUMNS} FROM cases WHERE subject_id = %s AND number = %s", (subject.id, number)
    )
    if row is None:
        raise NotFound(f"“{subject.name}” has no case {number}.", field="case")
    return _from_row(row)


def all_of(tx: Transaction, subject: Subject) -> list[KeptCase]:
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM cases WHERE subject_id = %s AND deleted_at IS NULL ORDER BY number",
        [subject.id],
    )
    return [_from_row(row) for row in rows]


def picked(tx: Transaction, subject: Subject, numbers: Sequence[int] | None) -> list[KeptCase]:
    """The cases with these numbers, or all. Raises NotFound naming those that are not there."""
    kept = all_of(tx, subject)
    if numbers is None:
        return kept
    wanted = set(numbers)
    missing = sorted(wanted - {case.number for case in kept})
    if missing:
        raise NotFound(
            f"{count(len(missing), 'case')} can't be found: {', '.join(map(str, missing[:10]))}.",
            field="cases",
        )
    return [case for case in kept if case.number in wanted]


def change(
    tx: Transaction, subject: Subject, number: int, case: Case, expected_revision: int
) -> KeptCase:
    """Raises Stale if somebody changed it first; nothing is overwritten then."""
    content = dumps(checked(case).to_json())
    changed = tx.run(
        "UPDATE cases SET content = %s, revision = revision + 1 "
        "WHERE subject_id = %s AND number = %s AND revision = %s",
        (content, subject.id, number, expected_revision),
    )
    found = get(tx, subject, number)
    if not changed:
        raise Stale(f"Case {number}")
    return found


def set_deleted(
    tx: Transaction, subject: Subject, number: int, deleted: bool, expected_revision: int
) -> KeptCase:
    """Put it away, or bring it back. Raises Stale if somebody changed it first."""
    get(tx, subject, number)
    changed = tx.run(
        "UPDATE cases SET deleted_at = IF(%s, NOW(3), NULL), revision = revision + 1 "
        "WHERE subject_id = %s AND number = %s AND revision = %s",
        (deleted, subject.id, number, expected_revision),
    )
    if not changed:
        raise Stale(f"Case {number}")
    return get(tx, subject, number)


def _from_row(row: tuple[Any, ...]) -> KeptCase:
    return KeptCase(row[0], row[1], row[2], Case.from_json(json.loads(row[3])), row[4], row[5])
