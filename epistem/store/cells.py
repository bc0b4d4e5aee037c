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
    """(trial, cells that wait) of trials with cells left to claim: least in hand first, then oldest."""
    rows = tx.rows(
        """
        SELECT id, total - recorded - in_hand AS waiting
          FROM (SELECT t.id, t.total, t.recorded,
                       (SELECT COUNT(*) FROM cells c
                         WHERE c.trial_id = t.id AND c.state = 'claimed') AS in_hand
                  FROM trials t
                 WHERE t.status IN ('waiting', 'running')) AS going
        HAVING waiting > 0
         ORDER BY in_hand, id
        """
    )
    return [(int(trial_id), int(waiting)) for trial_id, waiting in rows]


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
        "SELECT id, arm, case_at, repeat_no, seed FROM cells "
        "WHERE trial_id = %s AND state = 'claimed' AND owner = %s ORDER BY id",
        (trial_id, owner),
    )
    return [ClaimedCell(*row) for row in rows]


def release(tx: Transaction, trial_id: int, owner: str) -> int:
    """Give back what `owner` claimed of the trial and did not record; how many."""
    return tx.run(
        "UPDATE cells SET state = 'waiting', owner = NULL "
        "WHERE trial_id = %s AND state = 'claimed' AND owner = %s",
        (trial_id, owner),
    )


def release_orphans(tx: Transaction) -> int:
    """Give back the cells of owners whose runner is gone; how many."""
    owners = tx.rows(
        "SELECT DISTINCT c.trial_id, c.owner FROM trials t JOIN cells c ON c.trial_id = t.id "
        "WHERE t.status <> 'finished' AND c.state = 'claimed'"
    )
    given_back = 0
    for trial_id, owner in owners:
        runner = owner.split(".")[0]
        if tx.first("SELECT IS_FREE_LOCK(%s)", [lock_name(runner)]) == (1,):
            given_back += release(tx, trial_id, owner)
    return given_back
