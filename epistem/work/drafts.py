"""Keeping a draft as it is typed, and saving it as a version."""

from __future__ import annotations

from epistem.core.errors import InvalidInput
from epistem.core.prompts.identity import content_hash
from epistem.core.subjects.content import Content
from epistem.store import drafts, versions
from epistem.store.database import Transaction
from epistem.store.drafts import Draft
from epistem.store.subjects import Subject
from epistem.store.versions import Version
from epistem.work import pinned


def edited(tx: Transaction, subject: Subject, draft: Draft) -> bool:
    """Whether the draft differs from the version that it came from."""
    if draft.base_version is None:
        return True
    base = versions.get(tx, subject, draft.base_version)
    return base.content_hash != content_hash(draft.content)


def keep(tx: Transaction, subject: Subject, content: Content, revision: int) -> Draft:
    """Keep it as typed, with the texts of the fragments that it includes.

    Raises StaleDraft if the draft is no longer at `revision`.
    """
    current = drafts.get(tx, subject, lock=True)
    if current.revision != revision:
        raise drafts.StaleDraft(current, content)
    _same_kind(subject, content)
    return drafts.save(tx, subject, pinned.filled_in(tx, content), revision)


def _same_kind(subject: Subject, content: Content) -> None:
    if content.kind != subject.kind:
        raise InvalidInput(
            f"“{subject.name}” is a {subject.kind}, and stays one. Make another subject for a {content.kind}.",
            field="kind",
        )


def save_version(
    tx: Transaction, subject: Subject, revision: int, note: str
) -> tuple[Version, bool]:
    """The version, and whether it is new. What was seen is what is saved: raises StaleDraft for a draft
    that is no longer at `revision`."""
    draft = drafts.get(tx, subject, lock=True)
    if draft.revision != revision:
        raise drafts.StaleDraft(draft, draft.content)
    return versions.save(tx, subject, draft.content, note)
