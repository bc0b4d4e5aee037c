"""Where the words of a collection are looked up: in memory, or by the database for one that has outgrown it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from epistem.core.knowledge.index import Hit, Index, best
from epistem.core.knowledge.segments import Segment
from epistem.core.knowledge.terms import asked
from epistem.store.database import Database, Transaction
from epistem.store.knowledge import documents, words
from epistem.store.knowledge.documents import DocumentVersion

LONGEST = 80
"""Letters of a word as the database is told it: it takes 84."""
MOST_LOOKED_AT = 5_000
"""Hits that are held against the tags and dates that are wanted."""


class WordIndex(Protocol):
    """Of one version of a collection, by the places of its passages."""

    def best(
        self, database: Database, question: str, most: int, allowed: NDArray[np.bool_] | None
    ) -> list[Hit]:
        """The highest scores, the highest first."""


class InMemory:
    """BM25 over all passages, in arrays: up to 100,000 or so."""

    def __init__(self, index: Index) -> None:
        self.index = index

    def best(
        self, database: Database, question: str, most: int, allowed: NDArray[np.bool_] | None
    ) -> list[Hit]:
        return best(self.index.scores(question), most, allowed)


class InDatabase:
    """MariaDB's full-text index, which scores in a way of its own: nothing is held in memory."""

    def __init__(self, there: Sequence[DocumentVersion], firsts: Sequence[int]) -> None:
        self._versions = [each.id for each in there]
        self._first = dict(zip(self._versions, firsts, strict=False))

    def best(
        self, database: Database, question: str, most: int, allowed: NDArray[np.bool_] | None
    ) -> list[Hit]:
        told = " ".join(plain(term) for term in asked(question))
        wanted = most if allowed is None else MOST_LOOKED_AT
        with database.transaction() as tx:
            found = words.best(tx, self._versions, told, wanted)
        hits = [
            Hit(int(self._first[version]) + position, score) for version, position, score in found
        ]
        if allowed is not None:
            hits = [hit for hit in hits if allowed[hit.at]]
        return hits[:most]


def put_into_database(
    database: Database, tx: Transaction, there: Sequence[DocumentVersion]
) -> None:
    """The terms of those documents that are not in it yet, a document in each transaction: what is done stays."""
    missing = set(words.missing(tx, [each.id for each in there]))
    for each in there:
        if each.id in missing:
            [segment] = documents.segments_of(tx, [each])
            with database.transaction() as own:
                words.add(own, each.id, told_in(segment))


def told_in(segment: Segment) -> list[str]:
    """The terms of each of a document's passages, as the database is told them."""
    found: list[list[str]] = [[] for _ in segment.lengths]
    for word, (start, stop) in zip(segment.words, pairwise(segment.starts.tolist()), strict=True):
        told = plain(word)
        for passage, times in zip(
            segment.passages[start:stop], segment.counts[start:stop], strict=True
        ):
            found[passage].extend([told] * int(times))
    return [" ".join(each) for each in found]


def plain(term: str) -> str:
    """A term in letters that the database neither splits nor passes over."""
    return f"x{term.encode().hex()}"[:LONGEST]
