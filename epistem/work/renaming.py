"""Renaming an input in a subject's draft and in its cases, in one go."""

from __future__ import annotations

from dataclasses import dataclass

from epistem.core.errors import InvalidInput
from epistem.core.prompts.rename import TextChange, rename_input, rename_key
from epistem.core.subjects.content import prompt_in
from epistem.store import cases, drafts, renames
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.work.drafts import keep


@dataclass(frozen=True)
class Renaming:
    """What changes: lines of parts, and how many cases have the input."""

    changes: list[TextChange]
    cases: int
    draft: drafts.Draft


def rename(
    tx: Transaction, subject: Subject, revision: int, old: str, new: str, *, apply: bool
) -> Renaming:
    """Rename, or with `apply` false only say what would change.

    Raises StaleDraft if the draft is no longer at `revision`, InvalidInput for a name that can't be,
    or a case that has an input of the new name already.
    """
    draft = drafts.get(tx, subject, lock=True)
    if draft.revision != revision:
        raise drafts.StaleDraft(draft, draft.content)
    done = rename_input(prompt_in(draft.content, subject.name), old, new)
    kept = [case for case in cases.all_of(tx, subject) if old in case.content.inputs]
    both = [case.number for case in kept if new in case.content.inputs]
    if both:
        raise InvalidInput(
            f"Case {both[0]} has an input “{new}” beside “{old}”. Choose another name.", field="new"
        )
    if apply:
        renames.keep(tx, subject, old, new)
        draft = keep(tx, subject, done.content, revision)
        for case in kept:
            inputs = rename_key(case.content.inputs, old, new)
            content = case.content.model_copy(update={"inputs": inputs})
            cases.change(tx, subject, case.number, content, case.revision)
    return Renaming(done.changes, len(kept), draft)
