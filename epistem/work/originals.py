"""Paired cases of a file: each finds its original by what that one asks, there or in the file itself."""

from __future__ import annotations

from collections.abc import Sequence

from epistem.core.cases.content import Case, title_of
from epistem.core.cases.files.building import Built, Cases
from epistem.core.cases.files.table import BadRow
from epistem.core.cases.identity import asked_hash
from epistem.store import cases
from epistem.store.database import Transaction
from epistem.store.subjects import Subject


def originals_of(tx: Transaction, subject: Subject, some: Sequence[Case]) -> dict[int, Case]:
    """By their numbers the cases that some of these are paired with."""
    numbers = {case.pair.of for case in some if case.pair}
    return {each.number: each.content for each in cases.numbered(tx, subject, numbers)}


def without_lost(tx: Transaction, subject: Subject, made: Cases) -> None:
    """A case whose original is neither among the subject's cases nor in the file is a bad row, and so is
    one that is its own original by way of others."""
    level_of = _levels(made.built)
    numbers = {each.case.pair.of for each in made.built if each.case.pair and not each.original}
    there = cases.there(tx, subject, numbers)
    kept = cases.numbers_asking(tx, subject, [each.original for each in made.built])
    whole = []
    for each in made.built:
        reason = ""
        if each.original and each.original not in kept and each.original not in level_of:
            reason = "is paired with a case that is neither in the file nor among these cases"
        elif each.original and level_of.get(asked_hash(each.case), 0) < 0:
            reason = "is paired with itself, by way of others"
        elif each.case.pair and not each.original and each.case.pair.of not in there:
            reason = f"is paired with case {each.case.pair.of}, which is not among these cases"
        if reason:
            made.bad.append(BadRow(each.line, reason, title_of(each.case)))
        else:
            whole.append(each)
    made.built = whole
    made.bad.sort(key=lambda bad: bad.line)


def found(tx: Transaction, subject: Subject, built: Sequence[Built]) -> list[Built]:
    """With the numbers that their originals have among the subject's cases, as far as they are there."""
    kept = cases.numbers_asking(tx, subject, [each.original for each in built if each.original])
    return [
        _paired_with(each, kept[each.original]) if each.original in kept else each for each in built
    ]


def by_levels(built: Sequence[Built]) -> list[list[Built]]:
    """In their order, but no case in one list with its original or before it."""
    level_of = _levels(built)
    levels: dict[int, list[Built]] = {}
    for each in built:
        levels.setdefault(level_of[asked_hash(each.case)], []).append(each)
    return [levels[level] for level in sorted(levels)]


def _paired_with(built: Built, number: int) -> Built:
    pair = built.case.pair
    if pair is None or pair.of == number:
        return built
    told = {"pair": pair.model_copy(update={"of": number})}
    return built._replace(case=built.case.model_copy(update=told))


def _levels(built: Sequence[Built]) -> dict[bytes, int]:
    """By what they ask how many originals stand before them in the file; -1 for those that go in circles."""
    before = {asked_hash(each.case): each.original for each in built}
    levels: dict[bytes, int] = {}
    for start in before:
        way: list[bytes] = []
        at = start
        while at in before and at not in levels:
            levels[at] = -1  # met again before it is known: a circle
            way.append(at)
            at = before[at]
        level = levels.get(at, -2)
        circle = level == -1
        for each in reversed(way):
            level = -1 if circle else max(level, -1) + 1
            levels[each] = level
    return levels
