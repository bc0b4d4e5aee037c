"""What happens in a walk, in order, for those who watch."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any, NamedTuple

from epistem.store.database import Transaction
from epistem.store.documents import packed


class Event(NamedTuple):
    id: int
    kind: str
    told: dict[str, Any]


def insert(tx: Transaction, walk_id: int, events: Sequence[tuple[str, dict[str, Any]]]) -> None:
    tx.run_many(
        "INSERT INTO walk_events (walk_id, kind, told) VALUES (%s, %s, %s)",
        [(walk_id, kind, packed(told)) for kind, told in events],
    )


def after(tx: Transaction, walk_id: int, last: int, most: int = 500) -> list[Event]:
    rows = tx.rows(
        "SELECT id, kind, told FROM walk_events WHERE walk_id = %s AND id > %s ORDER BY id LIMIT %s",
        (walk_id, last, most),
    )
    return [Event(number, kind, json.loads(told)) for number, kind, told in rows]


def places_told(tx: Transaction, walk_id: int) -> set[str]:
    """Of the steps that were told as over."""
    rows = tx.rows(
        "SELECT JSON_VALUE(told, '$.at') FROM walk_events WHERE walk_id = %s AND kind = 'step'",
        [walk_id],
    )
    return {str(row[0]) for row in rows}


def forget_pieces(tx: Transaction, walk_id: int) -> None:
    """Of a walk that is over: the steps have the whole texts."""
    tx.run("DELETE FROM walk_events WHERE walk_id = %s AND kind = 'piece'", [walk_id])
