"""Saving a draft as a version."""

from __future__ import annotations

from epistem.store import drafts, versions
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.store.versions import Version


def save_version(
    tx: Transaction, subject: Subject, revision: int, note: str, saved_by: str
) -> tuple[Version, bool]:
    """The version, and whether it is new. What was seen is what is saved: raises StaleDraft for a draft
    that is no longer at `revision`."""
    draft = drafts.get(tx, subject, lock=True)
    if draft.revision != revision:
        raise drafts.StaleDraft(draft, draft.content)
    return versions.save(tx, subject, draft.content, note, saved_by)
