"""Cells: rows before they are calls. Claimed in shards by an owner whose life a lock proves.

An owner is `<runner>.<shard>`. The runner holds the server-side lock named after it for as long
as it lives; MariaDB frees it the moment the connection drops, whatever killed the process.

Whatever moves cells locks the row of their trial first, then arms, then cells: two that meet wait
for each other, and neither is undone.
"""

from __future__ import annotations

from collections.abc import Collection
from math import ceil
from typing import NamedTuple

from epistem.store.database import Transaction
from epistem.store.owners import without_lock

PROBE_CELLS = 2
"""So many calls find out whether an arm that was paused can be asked again."""
FIRST_WAIT_S, LONGEST_WAIT_S = 5, 300
"""A paused arm waits so long; twice as long each time, and no longer than that."""


class ClaimedCell(NamedTuple):
    id: int
    arm: int
    case_at: int
    repeat_no: int
    seed: int


def seed_of(tx: Transaction, cell_id: int) -> int:
    return tx.number("SELECT seed FROM cells WHERE id = %s", [cell_id])


def lock_trial(tx: Transaction, trial_id: int) -> None:
    """Let nobody else move cells of the trial until the transaction ends."""
    tx.first("SELECT id FROM trials WHERE id = %s FOR UPDATE", [trial_id])


def trials_to_run(tx: Transaction) -> list[tuple[int, int, int]]:
    """(trial, cells that wait, cells in hand) of trials with cells to claim of arms that are not paused:
    least in hand first, then oldest."""
    rows = tx.rows(
        """
        SELECT id, total - recorded - in_hand AS waiting, in_hand
          FROM (SELECT t.id, t.total, t.recorded,
                       (SELECT COUNT(*) FROM cells c
                         WHERE c.trial_id = t.id AND c.state = 'claimed') AS in_hand
                  FROM trials t
                 WHERE t.status IN ('waiting', 'running')
                   AND EXISTS (SELECT 1 FROM arms a
                                WHERE a.trial_id = t.id
                                  AND (a.paused_until IS NULL OR a.paused_until <= NOW(3))
                                  AND EXISTS (SELECT 1 FROM cells w
                                               WHERE w.trial_id = t.id AND w.state = 'waiting'
                                                 AND w.arm = a.position))) AS going
        HAVING waiting > 0
         ORDER BY in_hand, id
        """
    )
    return [(int(trial_id), int(waiting), int(in_hand)) for trial_id, waiting, in_hand in rows]


def claim(
    tx: Transaction,
    trial_id: int,
    owner: str,
    most: int,
    without: Collection[int] = (),
) -> int:
    """Take up to `most` waiting cells for `owner`; how many. Of each arm as many, in their order; of
    an arm that was paused a few, and it stays paused for others until one of them is answered. None of
    the arms in `without`."""
    lock_trial(tx, trial_id)
    tx.run(
        "UPDATE trials SET status = 'running', started_at = COALESCE(started_at, NOW(3)) "
        "WHERE id = %s AND status = 'waiting'",
        [trial_id],
    )
    arms = tx.rows(
        "SELECT position, pauses FROM arms a WHERE trial_id = %s "
        "AND (paused_until IS NULL OR paused_until <= NOW(3)) "
        "AND EXISTS (SELECT 1 FROM cells c WHERE c.trial_id = a.trial_id AND c.state = 'waiting' "
        "AND c.arm = a.position) ORDER BY position FOR UPDATE",
        [trial_id],
    )
    arms = [each for each in arms if each[0] not in without]
    claimed = 0
    for left, (arm, pauses) in zip(range(len(arms), 0, -1), arms, strict=True):
        fair = ceil((most - claimed) / left)
        if pauses:
            fair = min(fair, PROBE_CELLS)
            tx.run(
                "UPDATE arms SET paused_until = NOW(3) + INTERVAL %s SECOND "
                "WHERE trial_id = %s AND position = %s",
                (LONGEST_WAIT_S, trial_id, arm),
            )
        claimed += tx.run(
            "UPDATE cells SET state = 'claimed', owner = %s "
            "WHERE trial_id = %s AND state = 'waiting' AND arm = %s ORDER BY id LIMIT %s",
            (owner, trial_id, arm, fair),
        )
    return claimed


def claimed_by(tx: Transaction, trial_id: int, owner: str) -> list[ClaimedCell]:
    """What it has in hand of the trial, in order."""
    rows = tx.rows(
        "SELECT id, arm, case_at, repeat_no, seed FROM cells "
        "WHERE trial_id = %s AND state = 'claimed' AND owner = %s ORDER BY id",
        (trial_id, owner),
    )
    return [ClaimedCell(*row) for row in rows]


def pause(
    tx: Transaction,
    trial_id: int,
    arm: int,
    why: str,
    at_least_s: float = 0.0,
    *,
    again: bool = False,
) -> None:
    """Ask the arm no more for a while; longer each time in a row (`again`: it was just tried)."""
    lock_trial(tx, trial_id)
    tx.run(
        "UPDATE arms SET pauses = LEAST(pauses + 1, 1000), paused_why = %s, paused_until = NOW(3) + "
        "INTERVAL GREATEST(%s, LEAST(%s, %s * POW(2, LEAST(pauses - 1, 20)))) SECOND "
        "WHERE trial_id = %s AND position = %s AND (%s OR pauses = 0)",
        (
            why.encode("utf-8", "replace").decode()[:600],
            min(at_least_s, LONGEST_WAIT_S),
            LONGEST_WAIT_S,
            FIRST_WAIT_S,
            trial_id,
            arm,
            again,
        ),
    )


def end_pause(tx: Transaction, trial_id: int, arm: int) -> None:
    """It has answered."""
    tx.run(
        "UPDATE arms SET pauses = 0, paused_why = '', paused_until = NULL "
        "WHERE trial_id = %s AND position = %s AND pauses > 0",
        (trial_id, arm),
    )


def try_now(tx: Transaction, trial_id: int, arm: int | None = None) -> int:
    """Let all paused arms of the trial, or this one, be tried at once; how many."""
    lock_trial(tx, trial_id)
    return tx.run(
        "UPDATE arms SET paused_until = NOW(3) "
        "WHERE trial_id = %s AND pauses > 0 AND (%s IS NULL OR position = %s)",
        (trial_id, arm, arm),
    )


def release(tx: Transaction, trial_id: int, owner: str) -> int:
    """Give back what `owner` claimed of the trial and did not record; how many."""
    lock_trial(tx, trial_id)
    return tx.run(
        "UPDATE cells SET state = 'waiting', owner = NULL "
        "WHERE trial_id = %s AND state = 'claimed' AND owner = %s",
        (trial_id, owner),
    )


def runners_gone(tx: Transaction) -> set[str]:
    """Runners that own cells while nobody holds their lock."""
    owners = tx.rows(
        "SELECT DISTINCT c.owner FROM trials t JOIN cells c ON c.trial_id = t.id "
        "WHERE t.status <> 'finished' AND c.state = 'claimed'"
    )
    return without_lock(tx, (owner.split(".")[0] for (owner,) in owners))


def release_all_of(tx: Transaction, runner: str) -> int:
    """Give back the cells of a runner that is gone; how many. Arms that it was about to try again
    may be tried by others."""
    owned = f"{runner}.%"
    going = tx.rows(
        "SELECT DISTINCT c.trial_id FROM trials t JOIN cells c ON c.trial_id = t.id "
        "WHERE t.status <> 'finished' AND c.state = 'claimed' AND c.owner LIKE %s ORDER BY c.trial_id",
        [owned],
    )
    given_back = 0
    for (trial_id,) in going:
        lock_trial(tx, trial_id)
        tx.run(
            "UPDATE arms SET paused_until = NOW(3) WHERE trial_id = %s AND pauses > 0 AND position IN "
            "(SELECT arm FROM cells WHERE trial_id = %s AND state = 'claimed' AND owner LIKE %s)",
            (trial_id, trial_id, owned),
        )
        given_back += tx.run(
            "UPDATE cells SET state = 'waiting', owner = NULL "
            "WHERE trial_id = %s AND state = 'claimed' AND owner LIKE %s",
            (trial_id, owned),
        )
    return given_back
