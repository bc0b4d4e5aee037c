"""What judging models said: their replies, and how they did on answers with known scores."""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from epistem.core.checks.judge.probation import Said
from epistem.store.database import Transaction
from epistem.store.documents import dumps, hexed

MOST_REPLY_BYTES = 1_000_000


class Probation(NamedTuple):
    """`tested_at` is UTC."""

    said: list[Said]
    tested_at: datetime


def reply_to(tx: Transaction, digest: bytes, entry_id: int) -> bytes | None:
    """What was replied to the same question, as bytes from the wire."""
    row = tx.first(
        "SELECT reply FROM judgements WHERE hash = %s AND entry_id = %s", (digest, entry_id)
    )
    return None if row is None else bytes(row[0])


def keep_reply(tx: Transaction, digest: bytes, entry_id: int, reply: bytes) -> None:
    """One that is longer than any judge should be is not kept."""
    if len(reply) <= MOST_REPLY_BYTES:
        tx.run(
            "REPLACE INTO judgements (hash, entry_id, reply) "
            f"VALUES ({hexed(digest)}, {entry_id:d}, {hexed(reply)})"
        )


def keep_probation(tx: Transaction, criterion: str, entry_id: int, said: Sequence[Said]) -> None:
    tx.run(
        "REPLACE INTO probations (criterion, entry_id, said) VALUES (%s, %s, %s)",
        (criterion, entry_id, dumps([list(each) for each in said])),
    )


def probation_of(tx: Transaction, criterion: str, entry_id: int) -> Probation | None:
    row = tx.first(
        "SELECT said, tested_at FROM probations WHERE criterion = %s AND entry_id = %s",
        (criterion, entry_id),
    )
    if row is None:
        return None
    return Probation([Said(*each) for each in json.loads(row[0])], row[1])
