"""Which cases a named set holds, as they are now."""

from __future__ import annotations

from collections.abc import Collection

from epistem.core.cases.filters import FaredWith, Members, filter_from
from epistem.core.errors import InvalidInput
from epistem.store import case_lists, case_sets
from epistem.store.case_lists import Asked
from epistem.store.case_sets import CaseSet
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.work.fared import fared_with


def members(tx: Transaction, subject: Subject) -> Members:
    """Tells the numbers of a set's cases, looked up once; none for a set that is not there."""
    kept = {each.name.casefold(): each for each in case_sets.all_of(tx, subject)}
    fared = fared_with(tx, subject)
    known: dict[str, Collection[int]] = {}

    def told(name: str) -> Collection[int]:
        key = name.casefold()
        if key not in known:
            found = kept.get(key)
            known[key] = frozenset() if found is None else numbers_of(tx, subject, found, fared)
        return known[key]

    return told


def numbers_of(
    tx: Transaction, subject: Subject, kept: CaseSet, fared: FaredWith
) -> frozenset[int]:
    """Of cases that are not put away. A filter that names a set itself finds nothing by it."""
    if kept.numbers is not None:
        there = case_lists.numbers(tx, subject)
        return frozenset(there) & frozenset(kept.numbers)
    asked = Asked(filter_from(kept.find), fared=fared)
    return frozenset(case_lists.numbers(tx, subject, asked))


def check_set(name: str, find: str, numbers: Collection[int] | None) -> None:
    """Raises InvalidInput for a set without a name, that would hold nothing in particular, or that names
    another."""
    if not name.strip():
        raise InvalidInput("Give the set a name.", field="set")
    if numbers is not None:
        return
    terms = filter_from(find).terms
    if not terms:
        raise InvalidInput("Narrow the list first, or choose some cases by hand.", field="find")
    if any(term.key == "set" for term in terms):
        raise InvalidInput("A set can't be made of sets: write out what it finds.", field="find")


def in_sets(tx: Transaction, subject: Subject, names: Collection[str]) -> frozenset[int]:
    """The numbers of the cases of all these sets. Raises InvalidInput for one that is not there."""
    kept = {each.name: each for each in case_sets.all_of(tx, subject)}
    for name in names:
        if name not in kept:
            raise InvalidInput(f"There is no set “{name}” of these cases.", field="sets")
    fared = fared_with(tx, subject)
    return frozenset[int]().union(*(numbers_of(tx, subject, kept[name], fared) for name in names))
