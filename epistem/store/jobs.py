"""Jobs: work that goes on behind the pages, as rows before it is work. Claimed by an owner whose life a lock proves."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from datetime import datetime
from hashlib import sha256
from typing import Any, NamedTuple

from epistem.core.errors import NotFound
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.owners import without_lock

GOING = ("waiting", "running")
MOST_LISTED = 200
MOST_WHY, MOST_TITLE = 2_000, 200
_COLUMNS = "id, kind, about, title, status, attempts, why, done, total, due_at, ended_at"


class Job(NamedTuple):
    """`status` is waiting, running, done, failed (it can't be done) or left (somebody said that it need not be done).
    `why` is what its last attempt came to, of `attempts` that came to nothing. Of `total` pieces, 0 where they are not
    counted, `done` are done. It is not taken up before `due_at` (UTC)."""

    id: int
    kind: str
    about: dict[str, Any]
    title: str
    status: str
    attempts: int
    why: str
    done: int
    total: int
    due_at: datetime
    ended_at: datetime | None

    @property
    def going(self) -> bool:
        return self.status in GOING


def begin(
    tx: Transaction,
    kind: str,
    key: str,
    about: Mapping[str, Any],
    title: str,
    *,
    once: bool = False,
) -> None:
    """Ask for it; those of one `key` are the same. One that is asked for already stays as it is; one that is over is
    done anew, unless `once`."""
    anew = "" if once else (
        "attempts = IF(status IN ('waiting', 'running'), attempts, 0), "
        "due_at = IF(status IN ('waiting', 'running'), due_at, NOW(3)), "
        "done = IF(status IN ('waiting', 'running'), done, 0), "
        "why = IF(status IN ('waiting', 'running'), why, ''), "
        "ended_at = NULL, status = IF(status IN ('waiting', 'running'), status, 'waiting')"
    )  # fmt: skip
    tx.run(
        "INSERT INTO jobs (kind, about, digest, title, why) VALUES (%s, %s, %s, %s, '') "
        f"ON DUPLICATE KEY UPDATE {anew or 'id = id'}",
        (kind, dumps(about), _digest(kind, key), title[:MOST_TITLE]),
    )


def find(tx: Transaction, kind: str, key: str) -> Job | None:
    row = tx.first(f"SELECT {_COLUMNS} FROM jobs WHERE digest = %s", [_digest(kind, key)])
    return None if row is None else _job(row)


def unfinished(tx: Transaction, kinds: Collection[str] = ()) -> list[Job]:
    """What goes on and what can't be done, the oldest first."""
    of_kinds = f"AND kind IN ({_marks(kinds)}) " if kinds else ""
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM jobs WHERE status IN ('waiting', 'running', 'failed') {of_kinds}"
        "ORDER BY id LIMIT %s",
        (*kinds, MOST_LISTED),
    )
    return [_job(row) for row in rows]


def claim(tx: Transaction, owner: str, kinds: Collection[str], most: int) -> list[Job]:
    """Some that are due, those first that wait longest; they are this owner's now."""
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM jobs WHERE status = 'waiting' AND due_at <= NOW(3) "
        f"AND kind IN ({_marks(kinds)}) ORDER BY due_at, id LIMIT %s FOR UPDATE SKIP LOCKED",
        (*kinds, most),
    )
    found = [_job(row) for row in rows]
    for job in found:
        tx.run("UPDATE jobs SET status = 'running', owner = %s WHERE id = %s", (owner, job.id))
    return found


def come_to(tx: Transaction, job_id: int, owner: str, done: int, total: int) -> bool:
    """How far it is; whether it is still this owner's to do."""
    mine = tx.first(
        "SELECT 1 FROM jobs WHERE id = %s AND owner = %s AND status = 'running' FOR UPDATE",
        (job_id, owner),
    )
    if mine is not None:
        tx.run("UPDATE jobs SET done = %s, total = %s WHERE id = %s", (done, total, job_id))
    return mine is not None


def finish(tx: Transaction, job_id: int, owner: str) -> None:
    _end(tx, job_id, owner, "status = 'done', why = '', ended_at = NOW(3)")


def put_off(tx: Transaction, job_id: int, owner: str, why: str, wait_s: float) -> None:
    """Its attempt came to nothing: it is taken up again after that wait."""
    later = "DATE_ADD(NOW(3), INTERVAL %s MICROSECOND)"
    told = f"status = 'waiting', attempts = attempts + 1, why = %s, due_at = {later}"
    _end(tx, job_id, owner, told, why[:MOST_WHY], int(wait_s * 1e6))


def give_up(tx: Transaction, job_id: int, owner: str, why: str) -> None:
    """It can't be done, until somebody has it tried again."""
    told = "status = 'failed', attempts = attempts + 1, why = %s, ended_at = NOW(3)"
    _end(tx, job_id, owner, told, why[:MOST_WHY])


def give_back(tx: Transaction, owner: str) -> int:
    """What that owner had in hand waits again, and has lost nothing; how many."""
    return tx.run(
        "UPDATE jobs SET status = 'waiting', owner = NULL WHERE status = 'running' AND owner = %s",
        [owner],
    )


def give_back_kind(tx: Transaction, kind: str) -> None:
    """What anybody had in hand of this kind: for who knows that nobody else does such jobs now."""
    tx.run(
        "UPDATE jobs SET status = 'waiting', owner = NULL WHERE status = 'running' AND kind = %s",
        [kind],
    )


def owners_gone(tx: Transaction) -> set[str]:
    """Who has jobs in hand while nobody holds its lock."""
    rows = tx.rows("SELECT DISTINCT owner FROM jobs WHERE status = 'running' AND owner IS NOT NULL")
    return without_lock(tx, (owner for (owner,) in rows))


def try_again(tx: Transaction, job_id: int) -> None:
    """At once, whatever it came to before. Raises NotFound."""
    _exists(tx, job_id)
    tx.run(
        "UPDATE jobs SET status = 'waiting', attempts = 0, due_at = NOW(3), ended_at = NULL "
        "WHERE id = %s AND status IN ('waiting', 'failed', 'left')",
        [job_id],
    )


def leave(tx: Transaction, job_id: int) -> None:
    """It need not be done. What was done of it stays. Raises NotFound."""
    _exists(tx, job_id)
    tx.run(
        "UPDATE jobs SET status = 'left', owner = NULL, ended_at = NOW(3) "
        "WHERE id = %s AND status <> 'done'",
        [job_id],
    )


def _exists(tx: Transaction, job_id: int) -> None:
    if tx.first("SELECT 1 FROM jobs WHERE id = %s FOR UPDATE", [job_id]) is None:
        raise NotFound(f"There is no job {job_id}.")


def _end(tx: Transaction, job_id: int, owner: str, how: str, *values: Any) -> None:
    """Nothing where it is not this owner's any more."""
    tx.run(
        f"UPDATE jobs SET {how}, owner = NULL WHERE id = %s AND owner = %s AND status = 'running'",
        (*values, job_id, owner),
    )


def _digest(kind: str, key: str) -> bytes:
    return sha256(f"{kind}\0{key}".encode("utf-8", "replace")).digest()


def _marks(values: Collection[str]) -> str:
    return ", ".join(["%s"] * len(values))


def _job(row: tuple[Any, ...]) -> Job:
    return Job(row[0], row[1], json.loads(row[2]), *row[3:])
