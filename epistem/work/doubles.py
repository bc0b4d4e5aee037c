"""Cases that ask nearly the same: merged into one, or said to be two all the same."""

from __future__ import annotations

from typing import NamedTuple

from epistem.core.errors import InvalidInput
from epistem.store import cases, doubles
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.work.cases import Edited, restore, tag


class Merged(NamedTuple):
    """What it takes to undo it: `stays` where it was given tags, and `gone` with its revision before that."""

    stays: Edited | None
    gone: Edited


def merge(tx: Transaction, subject: Subject, stays: int, goes: int) -> Merged:
    """One stays, with the tags of both; the other is put away. Raises NotFound for a number that no case
    has, InvalidInput for one case or one that is put away already."""
    _check_two(tx, subject, stays, goes)
    going = cases.get(tx, subject, goes)
    for number, field in ((stays, "stays"), (goes, "goes")):
        if cases.get(tx, subject, number).deleted_at is not None:
            raise InvalidInput(f"Case {number} is put away already.", field=field)
    tagged = tag(tx, subject, [stays], going.content.tags, [])
    gone = cases.set_deleted(tx, subject, goes, True, going.revision)
    return Merged(
        tagged[0] if tagged else None,
        Edited(goes, going.revision, gone.revision),
    )


def unmerge(tx: Transaction, subject: Subject, merged: Merged) -> None:
    """Both are what they were. Raises Stale where one was changed since: nothing is touched then."""
    if merged.stays is not None:
        restore(tx, subject, [merged.stays])
    cases.set_deleted(tx, subject, merged.gone.number, False, merged.gone.became)


def set_apart(tx: Transaction, subject: Subject, one: int, other: int, apart: bool) -> None:
    """Raises NotFound and InvalidInput as `merge`."""
    _check_two(tx, subject, one, other)
    doubles.set_apart(tx, subject, one, other, apart)


def _check_two(tx: Transaction, subject: Subject, one: int, other: int) -> None:
    if one == other:
        raise InvalidInput("These are one case.", field="other")
    for number in (one, other):
        cases.get(tx, subject, number)
