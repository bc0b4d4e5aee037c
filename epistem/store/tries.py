"""Tries: every answer to a draft, with the draft as it was; nothing tried is lost."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from epistem.core.errors import NotFound
from epistem.core.prompts.identity import content_hash
from epistem.core.subjects.content import Content, content_from_json
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

LISTED = 50


@dataclass(frozen=True)
class TryLine:
    """One line of the history. `edit` numbers the drafts that were tried, in order."""

    id: int
    tried_at: datetime
    model: str
    edit: int
    asked: dict[str, Any]
    first_words: str
    passed: bool
    tried_by: str


@dataclass(frozen=True)
class KeptTry:
    id: int
    tried_at: datetime
    content: Content
    asked: dict[str, Any]
    answered: dict[str, Any]


def keep(
    tx: Transaction,
    subject: Subject,
    content: Content,
    asked: dict[str, Any],
    answered: dict[str, Any],
    *,
    passed: bool,
) -> int:
    """Record a try; its id. `asked` names the model, `answered` has the answer's text."""
    content_id = keep_content(tx, subject, content)
    words = " ".join(str(answered.get("answer", ""))[:400].split())[:200]
    return tx.insert(
        "INSERT INTO tries (subject_id, content_id, asked, answered, model, first_words, passed, "
        "tried_by) VALUES (%s, %s, %s, %s, %s, %s, %s, %s)",
        (
            subject.id,
            content_id,
            dumps(asked).encode(),
            dumps(answered).encode(),
            asked["model"],
            words,
            passed,
            tx.by,
        ),
    )


def keep_content(tx: Transaction, subject: Subject, content: Content) -> int:
    """The id of a draft as it was tried; equal ones are kept once."""
    digest = content_hash(content)
    tx.run(
        "INSERT INTO tried_contents (subject_id, content_hash, content) VALUES (%s, %s, %s) "
        "ON DUPLICATE KEY UPDATE id = LAST_INSERT_ID(id)",
        (subject.id, digest, dumps(content.to_json()).encode()),
    )
    row = tx.first(
        "SELECT id FROM tried_contents WHERE subject_id = %s AND content_hash = %s",
        (subject.id, digest),
    )
    assert row is not None
    return int(row[0])


def listed(
    tx: Transaction, subject: Subject, *, before: int | None = None, most: int = LISTED
) -> list[TryLine]:
    """Newest first; those before the id `before`, where it is given."""
    rows = tx.rows(
        "SELECT id, tried_at, model, content_id, asked, first_words, passed, tried_by FROM tries "
        "WHERE subject_id = %s AND (%s IS NULL OR id < %s) ORDER BY id DESC LIMIT %s",
        (subject.id, before, before, most),
    )
    edits = tx.rows("SELECT id FROM tried_contents WHERE subject_id = %s ORDER BY id", [subject.id])
    number = {row[0]: at for at, row in enumerate(edits, start=1)}
    return [
        TryLine(*(*row[:3], number[row[3]], json.loads(row[4]), row[5], bool(row[6]), row[7]))
        for row in rows
    ]


def get(tx: Transaction, subject: Subject, try_id: int) -> KeptTry:
    row = tx.first(
        "SELECT t.id, t.tried_at, c.content, t.asked, t.answered FROM tries t "
        "JOIN tried_contents c ON c.id = t.content_id WHERE t.subject_id = %s AND t.id = %s",
        (subject.id, try_id),
    )
    if row is None:
        raise NotFound(f"“{subject.name}” has no try {try_id}.", field="try")
    content = content_from_json(json.loads(row[2]))
    return KeptTry(row[0], row[1], content, json.loads(row[3]), json.loads(row[4]))
