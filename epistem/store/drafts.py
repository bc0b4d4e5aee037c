"""Drafts: the one mutable state of a subject, with a revision to catch two writers."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime

from epistem.core.errors import Conflict
from epistem.core.subjects.content import Content, content_from_json
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject


@dataclass(frozen=True)
class Draft:
    """`base_version` is the number of the version that the draft was last equal to. `source` is the YAML of a chain as
    it was typed, also where it can't be read: then `content` is what was last there that could."""

    revision: int
    content: Content
    base_version: int | None
    updated_at: datetime
    changed_by: str
    source: str | None = None


class StaleDraft(Conflict):
    """Somebody saved the draft first. Both texts are here, so neither is lost."""

    def __init__(self, theirs: Draft, yours: Content) -> None:
        super().__init__(
            "The draft was changed elsewhere since you opened it. Nothing was overwritten: "
            "compare both texts and save again.",
            field="If-Match",
        )
        self.theirs = theirs
        self.yours = yours


def get(tx: Transaction, subject: Subject, *, lock: bool = False) -> Draft:
    row = tx.first(
        "SELECT revision, content, base_version, updated_at, changed_by, source FROM drafts WHERE subject_id = %s"
        + (" FOR UPDATE" if lock else ""),
        [subject.id],
    )
    assert row is not None, "a subject is always made with its draft"
    return Draft(row[0], content_from_json(json.loads(row[1])), *row[2:])


def save(
    tx: Transaction,
    subject: Subject,
    content: Content,
    expected_revision: int,
    source: str | None = None,
) -> Draft:
    """Raises StaleDraft if it is no longer at `expected_revision`."""
    current = get(tx, subject, lock=True)
    if current.revision != expected_revision:
        raise StaleDraft(current, content)
    tx.run(
        "UPDATE drafts SET content = %s, source = %s, revision = revision + 1, updated_at = NOW(3), "
        "changed_by = %s WHERE subject_id = %s",
        (dumps(content.to_json()), source, tx.by, subject.id),
    )
    return get(tx, subject)


def set_base(tx: Transaction, subject: Subject, version: int) -> None:
    tx.run("UPDATE drafts SET base_version = %s WHERE subject_id = %s", (version, subject.id))
