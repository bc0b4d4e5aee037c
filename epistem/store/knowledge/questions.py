"""Look-up cases: questions with the passages that they should find."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.errors import NotFound
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.knowledge.collections import Collection


class LookUpCase(NamedTuple):
    """`wanted` are references of passages."""

    id: int
    question: str
    wanted: list[str]


def all_of(tx: Transaction, collection: Collection) -> list[LookUpCase]:
    rows = tx.rows(
        "SELECT id, question, wanted FROM look_up_cases WHERE collection_id = %s AND deleted_at IS NULL "
        "ORDER BY id",
        [collection.id],
    )
    return [LookUpCase(number, question, json.loads(wanted)) for number, question, wanted in rows]


def keep(tx: Transaction, collection: Collection, question: str, wanted: Sequence[str]) -> int:
    return tx.insert(
        "INSERT INTO look_up_cases (collection_id, question, wanted, kept_by) VALUES (%s, %s, %s, %s)",
        (collection.id, question, dumps(list(wanted)), tx.by),
    )


def change(
    tx: Transaction, collection: Collection, number: int, question: str, wanted: Sequence[str]
) -> None:
    """Raises NotFound."""
    _there(tx, collection, number)
    tx.run(
        "UPDATE look_up_cases SET question = %s, wanted = %s, kept_by = %s WHERE id = %s",
        (question, dumps(list(wanted)), tx.by, number),
    )


def set_away(tx: Transaction, collection: Collection, number: int, away: bool) -> None:
    """Put it away, or bring it back. Raises NotFound."""
    _there(tx, collection, number)
    sql = "UPDATE look_up_cases SET deleted_at = IF(%s, NOW(3), NULL) WHERE id = %s"
    tx.run(sql, (away, number))


def _there(tx: Transaction, collection: Collection, number: int) -> None:
    row = tx.first(
        "SELECT id FROM look_up_cases WHERE collection_id = %s AND id = %s", (collection.id, number)
    )
    if row is None:
        raise NotFound(f"“{collection.name}” has no look-up case {number}.", field="look_up_case")
