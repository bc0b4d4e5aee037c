"""What waits for a person in walks."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any, NamedTuple

from epistem.core.engine.needs import AskPerson, HearPerson, PersonSaid
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.store.database import Transaction
from epistem.store.documents import packed
from epistem.store.walks import rows

PAST = {"approve": "approved", "refuse": "refused"}
SAID, SILENT = "said", "silent"
"""Words to what a talk says."""
NOBODY = "Nobody said a word in time."


class Pause(NamedTuple):
    """Of the `kind` word something is to be approved; of the kind talk the words of the person are waited for, to
    what `value` says, and are its `note`. `word` is None while it waits. `then` is what it means that nobody says one
    until `until_at`."""

    id: int
    walk: int
    subject: str
    step: str
    path: str
    shows: dict[str, Any]
    edits: str
    value: Any
    until_at: datetime
    then: str
    word: str | None
    note: str
    said_by: str
    asked_at: datetime
    kind: str


_COLUMNS = (
    "p.id, p.walk_id, s.name, p.step, p.path, p.shows, p.edits, p.value, p.until_at, p.then_, p.word, p.note, "
    "p.said_by, p.asked_at, p.kind"
)
_FROM = "FROM pauses p JOIN walks w ON w.id = p.walk_id JOIN subjects s ON s.id = w.subject_id"


def ask(tx: Transaction, walk_id: int, need: AskPerson) -> tuple[PersonSaid | None, datetime]:
    """What was said, None while nobody did; and until when that is waited for. The first time it is put up."""
    tx.run(
        "INSERT IGNORE INTO pauses (walk_id, path, step, shows, edits, value, until_at, then_) "
        "VALUES (%s, %s, %s, %s, %s, %s, NOW(3) + INTERVAL %s SECOND, %s)",
        (
            walk_id, need.path, need.name, packed(dict(need.shows)), need.edits,
            packed(need.value), need.hours * 3_600, need.then,
        ),
    )  # fmt: skip
    row = tx.first(
        "SELECT word, said, said_by, note, until_at, until_at <= NOW(3) FROM pauses "
        "WHERE walk_id = %s AND path = %s FOR UPDATE",  # who says a word in this moment is heard
        (walk_id, need.path),
    )
    assert row is not None, "it was put up just now"
    word, said, by, note, until_at, late = row
    if word is None and late:
        word, note = PAST[need.then], NOBODY
        tx.run(
            "UPDATE pauses SET word = %s, note = %s, said_at = NOW(3) WHERE walk_id = %s AND path = %s",
            (word, note, walk_id, need.path),
        )
    if word is None:
        return None, until_at
    value = json.loads(said) if said is not None else None
    return PersonSaid(word, value, by, note), until_at


def there(tx: Transaction, walk_id: int, path: str) -> bool:
    """Whether it was put up before."""
    found = tx.first("SELECT 1 FROM pauses WHERE walk_id = %s AND path = %s", (walk_id, path))
    return found is not None


def hear(
    tx: Transaction, walk_id: int, need: HearPerson, step: str
) -> tuple[bool, str | None, datetime]:
    """Whether it is settled what was said to that, and what: None for nothing; and until when words are waited
    for."""
    tx.run(
        "INSERT IGNORE INTO pauses (walk_id, path, step, shows, value, until_at, then_, kind) "
        "VALUES (%s, %s, %s, '{}', %s, NOW(3) + INTERVAL %s SECOND, 'silent', 'talk')",
        (walk_id, need.path, step, packed(need.says), need.hours * 3_600),
    )
    row = tx.first(
        "SELECT word, note, until_at, until_at <= NOW(3) FROM pauses "
        "WHERE walk_id = %s AND path = %s FOR UPDATE",
        (walk_id, need.path),
    )
    assert row is not None, "it was put up just now"
    word, note, until_at, late = row
    if word is None and late:
        word = SILENT
        tx.run(
            "UPDATE pauses SET word = %s, said_at = NOW(3) WHERE walk_id = %s AND path = %s",
            (word, walk_id, need.path),
        )
    return word is not None, note if word == SAID else None, until_at


def waiting(tx: Transaction, most: int = 200) -> list[Pause]:
    """What is to be approved, then talks that wait for words, the most pressing first."""
    found = tx.rows(
        f"SELECT {_COLUMNS} {_FROM} WHERE p.word IS NULL AND w.status IN ('ready', 'walking', 'paused') "
        "ORDER BY p.kind = 'talk', p.until_at, p.id LIMIT %s",
        [most],
    )
    return [_from_row(row) for row in found]


def of_walk(tx: Transaction, walk_id: int) -> list[Pause]:
    found = tx.rows(f"SELECT {_COLUMNS} {_FROM} WHERE p.walk_id = %s ORDER BY p.id", [walk_id])
    return [_from_row(row) for row in found]


def say(tx: Transaction, pause_id: int, word: str, value: Any, note: str) -> Pause:
    """The first word counts; then the walk goes on. Words of a talk are the `note` of the word said. Raises NotFound,
    Conflict for one that is said already, and InvalidInput for an edit where nothing may be edited, or a word of the
    other kind."""
    row = tx.first(
        "SELECT walk_id, word, edits, kind FROM pauses WHERE id = %s FOR UPDATE", [pause_id]
    )
    if row is None:
        raise NotFound("There is no such pause.", field="pause")
    walk_id, there, edits, kind = row
    if there is not None or rows.status_of(tx, walk_id) not in rows.GOING:
        told = f"It was {there} already." if there else "The walk is over."
        raise Conflict(f"{told} Nothing was changed.", field="word")
    if (kind == "talk") != (word in (SAID, SILENT)):
        told = "Say something to it." if kind == "talk" else "Approve it or refuse it."
        raise InvalidInput(told, field="word")
    if word == SAID and not note:
        raise InvalidInput("Say something.", field="note")
    if word == "edited" and not edits:
        raise InvalidInput(
            "This pause lets nothing be edited. Approve it or refuse it.", field="word"
        )
    tx.run(
        "UPDATE pauses SET word = %s, said = %s, note = %s, said_by = %s, said_at = NOW(3) WHERE id = %s",
        (word, packed(value) if word == "edited" else None, note[:20_000], tx.by, pause_id),
    )
    rows.wake(tx, walk_id)
    return next(each for each in of_walk(tx, walk_id) if each.id == pause_id)


def _from_row(row: tuple[Any, ...]) -> Pause:
    shows, edits, value = row[5:8]
    told = None if value is None else json.loads(value)
    return Pause(*(*row[:5], json.loads(shows), edits, told, *row[8:]))
