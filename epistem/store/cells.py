"""Cells: rows before they are calls. Claimed in shards by an owner whose life a lock proves.

An owner is `<runner>.<shard>`. The runner holds the server-side lock named after it for as long
as it lives; MariaDB frees it the moment the connection drops, whatever killed the process.
"""

from __future__ import annotations

from typing import NamedTuple

from epistem.store.database import Transaction


class ClaimedCell(NamedTuple):
    id: int
    arm: int
    case_at: int
    repeat_no: int
    seed: int


def lock_name(runner: str) -> str:
    return f"epistem.runner.{runner}"


def hold_runner_lock(tx: Transaction, runner: str) -> bool:
    """Take (or keep) the lock of this runner on this connection."""
    return tx.first("SELECT GET_LOCK(%s, 0)", [lock_name(runner)]) == (1,)


def trials_to_run(tx: Transaction) -> list[tuple[int, int]]:
    """(trial, cells in hand) of trials with cells left to claim: least in hand first, then oldest."""
    rows = tx.rows(
        """
        SELECT t.id, (SELECT COUNT(*) FROM cells c WHERE c.trial_id = t.id AND c.state = 'claimed') n
          FROM trials t
         WHERE t.status IN ('waiting', 'running')
           AND EXISTS (SELECT 1 FROM cells c WHERE c.trial_id = t.id AND c.state = 'waiting')
         ORDER BY n, t.id
        """
    )
    return [(int(trial_id), int(in_hand)) for trial_id, in_hand in rows]


def claim(tx: Transaction, trial_id: int, owner: str, most: int) -> list[ClaimedCell]:
    """Take up to `most` waiting cells for `owner`, in their order."""
    tx.run(
        "UPDATE trials SET status = 'running', started_at = COALESCE(started_at, NOW(3)) "
        "WHERE id = %s AND status = 'waiting'",
        [trial_id],
    )
    tx.run(
        "UPDATE cells SET state = 'claimed', owner = %s WHERE trial_id = %s AND state = 'waiting' "
        "ORDER BY id LIMIT %s",
        (owner, trial_id, most),
    )
    rows = tx.rows(
        "SELECT id, arm, case_at, repeat_no, seed FROM cells WHERE owner = %s AND state = 'claimed' "
        "ORDER BY id",
        [owner],
    )
    return [ClaimedCell(*row) for row in rows]


def release(tx: Transaction, owner: str) -> int:
    """Give back what `owner` claimed and did not record; how many."""
    return tx.run(
        "UPDATE cells SET state = 'waiting', owner = NULL WHERE owner = %s AND state = 'claimed'",
        [owner],
    )


def release_orphans(tx: Transaction) -> int:
    """Give back the cells of owners whose runner is gone; how many."""
    owners = tx.rows(
        "SELECT DISTINCT owner FROM cells WHERE owner IS NOT NULL AND state = 'claimed'"
    )
    given_back = 0
    for (owner,) in owners:
        runner = owner.split(".")[0]
        if tx.first("SELECT IS_FREE_LOCK(%s)", [lock_name(runner)]) == (1,):
            given_back += release(tx, owner)
    return given_back
