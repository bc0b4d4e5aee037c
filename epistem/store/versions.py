"""Versions: immutable, numbered, known by the hash of their content."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from epistem.core.errors import InvalidInput, NotFound
from epistem.core.prompts.identity import content_hash
from epistem.core.prompts.settings import Settings
from epistem.core.subjects.content import Content, content_from_json, of_kind
from epistem.store import drafts
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

_COLUMNS = "id, number, content_hash, content, note, created_at, saved_by"


@dataclass(frozen=True)
class Version:
    id: int
    number: int
    content_hash: str
    content: Content
    note: str
    created_at: datetime
    saved_by: str = ""


@dataclass(frozen=True)
class Line:
    """What a list shows of a version."""

    number: int
    content_hash: str
    note: str
    saved_by: str
    created_at: datetime
    settings: Settings
    looks_up: bool
    """Whether passages are looked up for an input of it."""


def save(tx: Transaction, subject: Subject, content: Content, note: str) -> tuple[Version, bool]:
    """The version with this content, and whether it is new.

    Content equal to that of a version, the latest or an older one, makes no new version.
    Raises InvalidInput, naming part and line, for content that could not be sent.
    """
    problems = of_kind(content).problems(content)
    if problems:
        raise InvalidInput(problems[0].message, field=problems[0].field)
    drafts.get(tx, subject, lock=True)  # one save at a time, so numbers have no gaps
    digest = content_hash(content)
    row = tx.first(
        f"SELECT {_COLUMNS} FROM versions WHERE subject_id = %s AND content_hash = %s",
        (subject.id, digest),
    )
    new = row is None
    if new:
        tx.run(
            """
            INSERT INTO versions (subject_id, number, content_hash, content, note, saved_by)
            SELECT %s, COALESCE(MAX(number), 0) + 1, %s, %s, %s, %s FROM versions WHERE subject_id = %s
            """,
            (subject.id, digest, dumps(content.to_json()), note, tx.by, subject.id),
        )
        row = tx.first(
            f"SELECT {_COLUMNS} FROM versions WHERE subject_id = %s AND content_hash = %s",
            (subject.id, digest),
        )
    assert row is not None
    version = _from_row(row)
    drafts.set_base(tx, subject, version.number)
    return version, new


def get(tx: Transaction, subject: Subject, number: int) -> Version:
    row = tx.first(
        f"SELECT {_COLUMNS} FROM versions WHERE subject_id = %s AND number = %s",
        (subject.id, number),
    )
    if row is None:
        raise NotFound(f"“{subject.name}” has no version {number}.", field="version")
    return _from_row(row)


def lines(tx: Transaction, subject: Subject, *, before: int | None = None, most: int) -> list[Line]:
    """Newest first; those of a number under `before`, where it is given."""
    rows = tx.rows(
        """
        SELECT number, content_hash, note, saved_by, created_at, JSON_EXTRACT(content, '$.settings'),
               JSON_CONTAINS_PATH(content, 'one', '$.inputs[*].look_up')
          FROM versions WHERE subject_id = %s AND (%s IS NULL OR number < %s)
         ORDER BY number DESC LIMIT %s
        """,
        (subject.id, before, before, most),
    )
    return [
        Line(*(*row[:5], Settings.from_json(json.loads(row[5] or "{}")), bool(row[6])))
        for row in rows
    ]


def _from_row(row: tuple[Any, ...]) -> Version:
    content = content_from_json(json.loads(row[3]))
    return Version(row[0], row[1], row[2], content, row[4], row[5], row[6])
