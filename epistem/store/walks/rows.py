"""Walks as rows: waiting, walked by a runner, paused, over."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple

from epistem.core.cases.content import Case
from epistem.core.chains.content import Chain
from epistem.core.errors import NotFound
from epistem.store.database import Transaction
from epistem.store.documents import packed
from epistem.store.owners import without_lock
from epistem.store.subjects import Subject
from epistem.store.tries import keep_content

GOING = ("ready", "walking", "paused")
MOST_STEPS_BYTES = 30_000_000


class WalkLine(NamedTuple):
    """One line of a list. `told` is what it was walked with, in a few words."""

    id: int
    status: str
    why: str
    case: int | None
    of_walk: int | None
    from_step: str
    changed: str
    calls: int
    cents: float
    ms: float
    started_by: str
    created_at: datetime
    inputs: dict[str, Any]


@dataclass(frozen=True)
class Walking:
    """A walk with all that it is walked by. `edits` are values of the state at `from_step` that are otherwise than in
    the walk that it replays, `instead` what that step writes without being done; `inherited` are such of the walks that
    it replays in turn, as {before, instead} by place. `alone`: only that step is walked. `goes_out`: what it sends is
    really sent. `played` is the case whose person is played in its talk. `outcome` has `outputs`, `state` and the
    `talk`; `steps` are as `core.chains.drawn` tells them."""

    line: WalkLine
    subject_id: int
    subject: str
    chain: Chain
    seed: int
    edits: dict[str, Any]
    outcome: dict[str, Any] | None
    steps: list[dict[str, Any]]
    ended_at: datetime | None
    goes_out: bool
    played: Case | None
    instead: dict[str, Any]
    alone: bool
    inherited: dict[str, dict[str, Any]]

    @property
    def id(self) -> int:
        return self.line.id

    @property
    def over(self) -> bool:
        return self.line.status not in GOING


class NewWalk(NamedTuple):
    chain: Chain
    inputs: Mapping[str, Any]
    seed: int
    case: int | None = None
    of_walk: int | None = None
    from_step: str = ""
    changed: str = ""
    edits: Mapping[str, Any] | None = None
    goes_out: bool = False
    played: Case | None = None
    instead: Mapping[str, Any] | None = None
    alone: bool = False
    inherited: Mapping[str, Mapping[str, Any]] | None = None


_LINE = (
    "w.id, w.status, w.why, w.case_number, w.of_walk, w.from_step, w.changed, w.calls, w.cents, w.ms, "
    "w.started_by, w.created_at, w.inputs"
)


def insert(tx: Transaction, subject: Subject, new: NewWalk) -> int:
    """Its id; it waits for a runner."""
    return tx.insert(
        "INSERT INTO walks (subject_id, content_id, inputs, seed, case_number, of_walk, from_step, changed, "
        "edits, goes_out, played, instead, alone, inherited, started_by) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
        (
            subject.id,
            keep_content(tx, subject, new.chain),
            packed(dict(new.inputs)),
            new.seed,
            new.case,
            new.of_walk,
            new.from_step[:300],
            new.changed[:400],
            packed(dict(new.edits)) if new.edits else None,
            new.goes_out,
            packed(new.played.to_json()) if new.played else None,
            packed(dict(new.instead)) if new.instead else None,
            new.alone,
            packed(dict(new.inherited)) if new.inherited else None,
            tx.by,
        ),
    )


def get(tx: Transaction, walk_id: int) -> Walking:
    row = tx.first(
        f"SELECT {_LINE}, s.id, s.name, c.content, w.seed, w.edits, w.outcome, w.steps, w.ended_at, "
        "w.goes_out, w.played, w.instead, w.alone, w.inherited "
        "FROM walks w JOIN subjects s ON s.id = w.subject_id "
        "JOIN tried_contents c ON c.id = w.content_id WHERE w.id = %s",
        [walk_id],
    )
    if row is None:
        raise NotFound(f"There is no walk {walk_id}.", field="walk")
    subject_id, name, content, seed, edits, outcome, steps, ended_at, goes_out, played = row[13:23]
    instead, alone, inherited = row[23:]
    return Walking(
        _line(row[:13]),
        subject_id,
        name,
        Chain.from_json(json.loads(content)),
        seed,
        json.loads(edits or "{}"),
        json.loads(outcome) if outcome else None,
        json.loads(steps or "[]"),
        ended_at,
        bool(goes_out),
        Case.from_json(json.loads(played)) if played else None,
        json.loads(instead or "{}"),
        bool(alone),
        json.loads(inherited or "{}"),
    )


def listed(
    tx: Transaction, subject: Subject, *, before: int | None = None, most: int = 50
) -> list[WalkLine]:
    """Newest first; those before the id `before`, where it is given."""
    rows = tx.rows(
        f"SELECT {_LINE} FROM walks w WHERE w.subject_id = %s AND (%s IS NULL OR w.id < %s) "
        "ORDER BY w.id DESC LIMIT %s",
        (subject.id, before, before, most),
    )
    return [_line(row) for row in rows]


def status_of(tx: Transaction, walk_id: int) -> str:
    row = tx.first("SELECT status FROM walks WHERE id = %s", [walk_id])
    return "stopped" if row is None else str(row[0])


def is_walking(tx: Transaction, walk_id: int) -> bool:
    """Until the end of the transaction: nobody stops it before."""
    row = tx.first("SELECT status FROM walks WHERE id = %s LOCK IN SHARE MODE", [walk_id])
    return row is not None and row[0] == "walking"


def claim(tx: Transaction, owner: str, most: int) -> list[int]:
    """Some that wait, oldest first; they are this runner's now. Those of which a pause is over wait again."""
    tx.run(
        "UPDATE walks SET status = 'ready' WHERE status = 'paused' AND wake_at IS NOT NULL AND wake_at <= NOW(3)"
    )
    rows = tx.rows(
        "SELECT id FROM walks WHERE status = 'ready' ORDER BY id LIMIT %s FOR UPDATE SKIP LOCKED",
        [most],
    )
    ids = [int(row[0]) for row in rows]
    if ids:
        marks = ", ".join(["%s"] * len(ids))
        tx.run(
            f"UPDATE walks SET status = 'walking', owner = %s WHERE id IN ({marks})", (owner, *ids)
        )
    return ids


def owners_gone(tx: Transaction) -> set[str]:
    """Runners that walk while nobody holds their lock."""
    rows = tx.rows(
        "SELECT DISTINCT owner FROM walks WHERE status = 'walking' AND owner IS NOT NULL"
    )
    return without_lock(tx, (owner for (owner,) in rows))


def give_back(tx: Transaction, owner: str) -> int:
    """What that runner had in hand; how many."""
    return tx.run(
        "UPDATE walks SET status = 'ready', owner = NULL WHERE status = 'walking' AND owner = %s",
        [owner],
    )


def park(tx: Transaction, walk_id: int, owner: str, wake_at: datetime | None) -> None:
    """Until a person has said a word, or that moment; not at all where one was said meanwhile. A walk that was
    stopped meanwhile stays so."""
    tx.run(
        "UPDATE walks w SET wake_at = %s, status = IF(EXISTS(SELECT 1 FROM pauses p LEFT JOIN walk_record r "
        "ON r.walk_id = p.walk_id AND r.path = p.path WHERE p.walk_id = w.id AND p.word IS NOT NULL "
        "AND r.path IS NULL), 'ready', 'paused') WHERE w.id = %s AND w.status = 'walking' AND w.owner = %s",
        (wake_at, walk_id, owner),
    )


def wake(tx: Transaction, walk_id: int) -> None:
    tx.run("UPDATE walks SET status = 'ready' WHERE id = %s AND status = 'paused'", [walk_id])


def stop(tx: Transaction, walk_id: int) -> bool:
    """Whether it was going on."""
    return bool(
        tx.run(
            "UPDATE walks SET status = 'stopped', why = 'It was stopped.', ended_at = NOW(3), owner = NULL "
            "WHERE id = %s AND status IN ('ready', 'walking', 'paused')",
            [walk_id],
        )
    )


def end(
    tx: Transaction,
    walk_id: int,
    owner: str,
    *,
    status: str,
    why: str,
    outcome: Mapping[str, Any],
    steps: Sequence[Mapping[str, Any]],
    calls: int,
    cents: float,
    ms: float,
) -> bool:
    """Whether it was still this runner's. Of one that was stopped meanwhile the steps are kept all the same."""
    told = packed(list(steps))
    if len(told) > MOST_STEPS_BYTES:
        told = packed([{**each, "given": {}, "wrote": {}} for each in steps])
    changed = tx.run(
        "UPDATE walks SET status = %s, why = %s, outcome = %s, ended_at = NOW(3), owner = NULL "
        "WHERE id = %s AND status = 'walking' AND owner = %s",
        (status, why[:2_000], packed(dict(outcome)), walk_id, owner),
    )
    tx.run(
        "UPDATE walks SET steps = %s, calls = %s, cents = %s, ms = %s "
        "WHERE id = %s AND status NOT IN ('ready', 'walking', 'paused')",
        (told, calls, cents, ms, walk_id),
    )
    return bool(changed)


def fail(tx: Transaction, walk_id: int, owner: str, why: str) -> None:
    """What should not happen: the record stays, so that it can be replayed."""
    tx.run(
        "UPDATE walks SET status = 'failed', why = %s, ended_at = NOW(3), owner = NULL "
        "WHERE id = %s AND status = 'walking' AND owner = %s",
        (why[:2_000], walk_id, owner),
    )


def _line(row: Sequence[Any]) -> WalkLine:
    return WalkLine(*(*row[:12], json.loads(row[12])))
