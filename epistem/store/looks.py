"""Looks at the results of cases that a trial held out: each is recorded before anything is shown."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from epistem.core.errors import Conflict, NotFound
from epistem.store.database import Transaction
from epistem.store.trials import Trial

MOST = 200


@dataclass(frozen=True)
class Look:
    id: int
    at: datetime
    by: str
    why: str


def record(tx: Transaction, trial: Trial, why: str) -> Look:
    """Raises Conflict where nothing is held out."""
    if not trial.plan.held_out:
        raise Conflict(f"T{trial.id} holds out no case: all is in sight.", field="trial")
    sql = "INSERT INTO looks (trial_id, looked_by, why) VALUES (%s, %s, %s)"
    made = tx.insert(sql, (trial.id, tx.by, why))
    return next(each for each in of(tx, trial.id) if each.id == made)


def of(tx: Transaction, trial_id: int) -> list[Look]:
    """The latest, newest first."""
    rows = tx.rows(
        "SELECT id, looked_at, looked_by, why FROM looks WHERE trial_id = %s ORDER BY id DESC LIMIT %s",
        (trial_id, MOST),
    )
    return [Look(*row) for row in rows]


def looking(tx: Transaction, trial_id: int, look: int | None) -> bool:
    """Whether one is looking: by a look that was recorded. Raises NotFound for one that was not."""
    if look is None:
        return False
    sql = "SELECT 1 FROM looks WHERE id = %s AND trial_id = %s"
    if tx.first(sql, (look, trial_id)) is None:
        raise NotFound(f"No look {look} at T{trial_id} is recorded.", field="look")
    return True
