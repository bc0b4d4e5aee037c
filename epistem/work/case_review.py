"""What is worth a look in the cases of a subject: doubles, contradictions, what tells nothing, what is missing."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from epistem.core.cases.alike import asked_text, near_duplicates
from epistem.core.cases.content import disagree, title_of
from epistem.core.cases.filters import FaredWith, filter_from
from epistem.core.prompts.labels import labels_of
from epistem.store import case_lists, drafts
from epistem.store.case_lists import Asked
from epistem.store.cases import KeptCase
from epistem.store.database import Transaction
from epistem.store.doubles import apart
from epistem.store.subjects import Subject
from epistem.work.fared import fared_with

FEW = 6
"""Fewer cases than these can't settle anything."""
MOST_PAIRS = 100
EVERY = "passes:all"
NONE = "never:all"


@dataclass(frozen=True)
class Double:
    """Two cases that ask nearly the same. `contradict`: no answer could be right for both by their labels."""

    one: int
    other: int
    likeness: float
    one_title: str
    other_title: str
    one_labels: list[str]
    other_labels: list[str]
    contradict: bool


@dataclass(frozen=True)
class Review:
    """`doubles` are the first of `doubles_found`, contradictions before others. `few_labels` and `few_tags`
    have fewer than FEW cases. `unlabelled` counts cases without a label where others have one, `disputed`
    those that people gave different labels."""

    cases: int
    doubles: list[Double]
    doubles_found: int
    contradictions: int
    passes_all: int
    passes_none: int
    few_labels: list[tuple[str, int]]
    few_tags: list[tuple[str, int]]
    unlabelled: int
    disputed: int


def review(tx: Transaction, subject: Subject) -> Review:
    kept = case_lists.found(tx, subject)
    doubles = _doubles(kept, apart(tx, subject))
    fared = fared_with(tx, subject)
    labels = Counter(label for each in kept for label in _labels(each))
    for label in labels_of(drafts.get(tx, subject).content.reply):
        labels.setdefault(label, 0)
    tags = Counter(tag for each in kept for tag in each.content.tags)
    unlabelled = sum(not _labels(each) for each in kept)
    return Review(
        cases=len(kept),
        doubles=doubles[:MOST_PAIRS],
        doubles_found=len(doubles),
        contradictions=sum(double.contradict for double in doubles),
        passes_all=_how_many(tx, subject, EVERY, fared),
        passes_none=_how_many(tx, subject, NONE, fared),
        few_labels=_few(labels),
        few_tags=_few(tags),
        unlabelled=unlabelled if 0 < unlabelled < len(kept) else 0,
        disputed=sum(disagree(each.content) for each in kept),
    )


def _doubles(kept: Sequence[KeptCase], apart: Collection[tuple[int, int]]) -> list[Double]:
    pairs = near_duplicates([asked_text(each.content) for each in kept])
    found = []
    for pair in pairs:
        one, other = kept[pair.one], kept[pair.other]
        if _paired(one, other) or (one.number, other.number) in apart:
            continue
        mine, theirs = _labels(one), _labels(other)
        found.append(
            Double(
                one.number,
                other.number,
                pair.likeness,
                title_of(one.content),
                title_of(other.content),
                mine,
                theirs,
                bool(mine and theirs) and not set(mine) & set(theirs),
            )
        )
    return sorted(found, key=lambda double: not double.contradict)


def _paired(one: KeptCase, other: KeptCase) -> bool:
    """Alike on purpose: one is the other with a change, or both are changes of the same case."""
    roots = [
        each.number if each.content.pair is None else each.content.pair.of for each in (one, other)
    ]
    return roots[0] == roots[1] or other.number == roots[0] or one.number == roots[1]


def _labels(kept: KeptCase) -> list[str]:
    expect = kept.content.expect
    return [label for label in (expect.label, *expect.labels) if label]


def _how_many(tx: Transaction, subject: Subject, find: str, fared: FaredWith) -> int:
    return case_lists.how_many(tx, subject, Asked(filter_from(find), fared=fared))


def _few(counts: Counter[str]) -> list[tuple[str, int]]:
    return sorted(
        ((w, n) for w, n in counts.items() if n < FEW), key=lambda each: (each[1], each[0])
    )
