"""What tools answered: the first time in a trial, and when they were called by hand; and who may be called."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple

from epistem.core.errors import NotFound
from epistem.core.tools.addresses import Origin
from epistem.store import bodies, calls
from epistem.store.calls import NewCall
from epistem.store.database import Transaction
from epistem.store.documents import dumps

LISTED = 30


def first(tx: Transaction, trial_id: int, digest: bytes) -> dict[str, Any] | None:
    """What came of the same call the first time in this trial."""
    row = tx.first(
        "SELECT result FROM tool_answers WHERE trial_id = %s AND digest = %s", (trial_id, digest)
    )
    return json.loads(row[0]) if row else None


def keep_first(tx: Transaction, trial_id: int, digest: bytes, result: dict[str, Any]) -> None:
    """Unless one is kept already: then that stays."""
    tx.run(
        "INSERT IGNORE INTO tool_answers (trial_id, digest, result) VALUES (%s, %s, %s)",
        (trial_id, digest, dumps(result)),
    )


class AllowedAddress(NamedTuple):
    origin: Origin
    inside: bool
    allowed_at: datetime
    allowed_by: str


def addresses(tx: Transaction, most: int = 2**31) -> list[AllowedAddress]:
    """The first by host."""
    rows = tx.rows(
        "SELECT scheme, host, port, inside, allowed_at, allowed_by FROM tool_addresses "
        "ORDER BY host, port, scheme LIMIT %s",
        [most],
    )
    return [AllowedAddress(Origin(*row[:3]), bool(row[3]), *row[4:]) for row in rows]


def allow(tx: Transaction, origin: Origin, *, inside: bool) -> None:
    tx.run(
        "INSERT INTO tool_addresses (scheme, host, port, inside, allowed_by) VALUES (%s, %s, %s, %s, %s) "
        "ON DUPLICATE KEY UPDATE inside = VALUES(inside), allowed_by = VALUES(allowed_by), allowed_at = NOW(3)",
        (*origin, inside, tx.by),
    )


def disallow(tx: Transaction, origin: Origin) -> None:
    tx.run(
        "DELETE FROM tool_addresses WHERE scheme = %s AND host = %s AND port = %s", tuple(origin)
    )


def ask_first(tx: Transaction, token: str, tool: str) -> None:
    """A call waits for somebody's yes. What waited a day ago is cleared away."""
    tx.run("DELETE FROM tool_permissions WHERE asked_at < NOW() - INTERVAL 1 DAY")
    tx.run("INSERT INTO tool_permissions (token, tool) VALUES (%s, %s)", (token, tool))


def say(tx: Transaction, token: str, *, allowed: bool) -> None:
    """Somebody says whether it may go on; the first word counts. Raises NotFound."""
    there = token.isascii() and tx.first(
        "SELECT 1 FROM tool_permissions WHERE token = %s", [token[:32]]
    )
    if not there:
        raise NotFound("Nothing waits for that any more.", field="token")
    tx.run(
        "UPDATE tool_permissions SET allowed = %s, said_by = %s WHERE token = %s AND allowed IS NULL",
        (allowed, tx.by, token),
    )


def said(tx: Transaction, token: str) -> bool | None:
    """None while nobody has said."""
    row = tx.first("SELECT allowed FROM tool_permissions WHERE token = %s", [token])
    return None if row is None or row[0] is None else bool(row[0])


@dataclass(frozen=True)
class ByHand:
    """A call by hand: what was asked and what came, as JSON."""

    id: int
    asked: dict[str, Any]
    came: dict[str, Any]
    started_at: datetime
    ms: float


def keep_by_hand(tx: Transaction, tool_id: int, call: NewCall) -> None:
    assert call.body is not None, "a call of a tool says what is asked"
    calls.insert(tx, "tool", [(tool_id, None, call)], bodies.keep(tx, [call.body]))


def by_hand(tx: Transaction, tool_id: int, most: int = LISTED) -> Sequence[ByHand]:
    """The newest first."""
    rows = tx.rows(
        "SELECT id, body_id, reply, started_at, total_ms FROM calls WHERE tool_id = %s "
        "ORDER BY id DESC LIMIT %s",
        (tool_id, most),
    )
    contents = bodies.content_of(tx, [row[1] for row in rows])
    return [
        ByHand(row[0], json.loads(contents[row[1]]), json.loads(row[2] or b"{}"), *row[3:])
        for row in rows
    ]
