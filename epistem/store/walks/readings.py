"""The walks that readings of chains took."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any, NamedTuple

from epistem.store.calls import IN_PLACE
from epistem.store.database import Transaction
from epistem.store.documents import hexed, packed
from epistem.store.trials import Trial

MOST_BYTES = 8_000_000


class WalkTook(NamedTuple):
    """`failed_at` is the place in the chain of the step where it ended before it was done, "" for none; `told` are
    its steps as JSON."""

    ended: str
    failed_at: str
    failed_step: str
    steps: int
    rounds: int
    calls: int
    told: list[dict[str, Any]]
    talk: Sequence[tuple[str, str | None]] = ()
    """What was said to the person, and what they said."""


class FailedThere(NamedTuple):
    """So many walks of an arm ended before they were done, at one step."""

    arm: int
    at: str
    step: str
    ended: str
    walks: int


class OfArm(NamedTuple):
    """The walks of an arm: how many, how many were done, and the means of steps, rounds and calls. `again` calls were
    not made, since another had made the same; they would have cost so many cents."""

    arm: int
    walks: int
    done: int
    steps: float
    rounds: float
    calls: float
    again: int = 0
    again_cents: float = 0.0


def insert(tx: Transaction, took: Sequence[tuple[int, int, int, WalkTook]]) -> None:
    """Of (cell, trial, arm)."""
    if not took:
        return
    rows = []
    for cell_id, trial_id, arm, walk in took:
        texts = (walk.ended, walk.failed_at[:300], walk.failed_step[:80])
        told = packed(walk.told)
        if len(told) > MOST_BYTES:
            told = packed([{**each, "given": {}, "wrote": {}} for each in walk.told])
        numbers = f"{walk.steps:d},{walk.rounds:d},{walk.calls:d}"
        words = ",".join(hexed(text.encode()) for text in texts)
        talk = hexed(packed(list(walk.talk))) if walk.talk else "NULL"
        rows.append(f"({cell_id:d},{trial_id:d},{arm:d},{words},{numbers},{hexed(told)},{talk})")
    columns = (
        "cell_id, trial_id, arm, ended, failed_at, failed_step, steps, rounds, calls, told, talk"
    )
    tx.run(f"INSERT INTO walked ({columns}) VALUES {','.join(rows)}")


def of_cell(tx: Transaction, cell_id: int) -> WalkTook | None:
    row = tx.first(
        "SELECT ended, failed_at, failed_step, steps, rounds, calls, told, talk FROM walked WHERE cell_id = %s",
        [cell_id],
    )
    if row is None:
        return None
    *narrow, told, talk = row
    return WalkTook._make([*narrow, json.loads(told), _talk(talk)])


class PastWalk(NamedTuple):
    """What is known of a walk besides its answer: what was said in it, and what its steps were and wrote."""

    talk: Sequence[tuple[str, str | None]] = ()
    told: Sequence[dict[str, Any]] = ()


NO_WALK = PastWalk()


def past_of(
    tx: Transaction, source_id: int, cell_ids: Sequence[int], *, with_steps: bool = False
) -> dict[int, PastWalk]:
    """By the cells' ids the walks of the answers that the trial of that id has in their places."""
    if not cell_ids:
        return {}
    marks = ", ".join(["%s"] * len(cell_ids))
    told = "w.told" if with_steps else "NULL"
    rows = tx.rows(
        f"SELECT mine.id, w.talk, {told} {IN_PLACE} JOIN walked w ON w.cell_id = c.id "
        f"WHERE mine.id IN ({marks})",
        (source_id, *cell_ids),
    )
    return {
        int(cell_id): PastWalk(_talk(talk), json.loads(steps) if steps else ())
        for cell_id, talk, steps in rows
    }


def _talk(told: bytes | None) -> list[tuple[str, str | None]]:
    return [(says, heard) for says, heard in json.loads(told)] if told else []


def of_reading(tx: Transaction, trial: Trial, cell_id: int) -> WalkTook | None:
    """Of a trial that judges another's answers it is the walk in the same place there."""
    if trial.answers_of is None:
        return of_cell(tx, cell_id)
    row = tx.first(f"SELECT c.id {IN_PLACE} WHERE mine.id = %s", (trial.answers_of, cell_id))
    return None if row is None else of_cell(tx, int(row[0]))


def failures(tx: Transaction, trial_id: int) -> list[FailedThere]:
    """By arm and step, the most first."""
    rows = tx.rows(
        "SELECT arm, failed_at, failed_step, ended, COUNT(*) FROM walked "
        "WHERE trial_id = %s AND ended <> 'done' GROUP BY arm, failed_at, failed_step, ended "
        "ORDER BY COUNT(*) DESC, arm, failed_at LIMIT 200",
        [trial_id],
    )
    return [FailedThere(*row) for row in rows]


def by_arm(tx: Transaction, trial_id: int) -> list[OfArm]:
    rows = tx.rows(
        "SELECT arm, COUNT(*), SUM(ended = 'done'), AVG(steps), AVG(rounds), AVG(calls) FROM walked "
        "WHERE trial_id = %s GROUP BY arm ORDER BY arm",
        [trial_id],
    )
    again = tx.rows(
        "SELECT w.arm, COUNT(*), SUM(c.cents) FROM walked w JOIN calls c ON c.cell_id = w.cell_id "
        "WHERE w.trial_id = %s AND c.purpose = 'answer' AND c.attempts = 0 AND c.reply IS NOT NULL GROUP BY w.arm",
        [trial_id],
    )
    saved = {int(arm): (int(number), float(cents)) for arm, number, cents in again}
    return [
        OfArm(int(a), int(n), int(d), float(s), float(r), float(c), *saved.get(int(a), (0, 0.0)))
        for a, n, d, s, r, c in rows
    ]
