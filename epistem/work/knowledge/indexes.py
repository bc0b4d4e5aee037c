"""Indexes of collections, built from what is kept of each document, and held while they are used."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from epistem.core.errors import Conflict
from epistem.core.knowledge.index import Index
from epistem.core.shapes import count
from epistem.store.database import Database, Transaction
from epistem.store.knowledge import documents, vectors
from epistem.store.knowledge.collections import Collection
from epistem.store.knowledge.documents import DocumentVersion
from epistem.work.knowledge.word_indexes import InDatabase, InMemory, WordIndex, put_into_database

MOST_HELD = 6


@dataclass
class Searchable:
    """A version of a collection: passage `at` stands in `places[at]`, (version of its document, position)."""

    collection: int
    version: int
    words: WordIndex
    documents: list[DocumentVersion]
    firsts: NDArray[np.int64]
    """Where the passages of each document begin; one more than there are documents."""
    matrices: dict[str, NDArray[np.float32]] = field(default_factory=dict)

    def __len__(self) -> int:
        return int(self.firsts[-1])

    def place(self, at: int) -> tuple[int, int]:
        document = int(np.searchsorted(self.firsts, at, side="right")) - 1
        return self.documents[document].id, at - int(self.firsts[document])

    def document_at(self, at: int) -> DocumentVersion:
        return self.documents[int(np.searchsorted(self.firsts, at, side="right")) - 1]

    @property
    def stems(self) -> dict[int, str]:
        return {each.id: each.stem for each in self.documents}

    def allowed(
        self, tags: Sequence[str], since: date | None, until: date | None
    ) -> NDArray[np.bool_] | None:
        """Passages of documents with one of these tags, dated so; None for all. One without a date is of no day."""
        if not tags and since is None and until is None:
            return None
        wanted = {tag.casefold() for tag in tags}
        told = np.zeros(len(self.documents), np.bool_)
        for at, each in enumerate(self.documents):
            tagged = not wanted or not wanted.isdisjoint(tag.casefold() for tag in each.tags)
            timely = (since is None or (each.dated is not None and each.dated >= since)) and (
                until is None or (each.dated is not None and each.dated <= until)
            )
            told[at] = tagged and timely
        return np.repeat(told, np.diff(self.firsts))


_held: OrderedDict[tuple[Any, int, int, bool], Searchable] = OrderedDict()
_lock = Lock()


def searchable(
    database: Database, tx: Transaction, collection: Collection, version: int
) -> Searchable:
    """Of that version; the last few that were asked for are held."""
    by_database = collection.searched_by == "database"
    key = (database.address, collection.id, version, by_database)
    with _lock:
        if key in _held:
            _held.move_to_end(key)
            return _held[key]
    there = documents.in_version(tx, collection, version)
    firsts = np.zeros(len(there) + 1, np.int64)
    firsts[1:] = np.cumsum([each.passages for each in there])
    words: WordIndex
    if by_database:
        put_into_database(database, tx, there)
        words = InDatabase(there, firsts.tolist())
    else:
        words = InMemory(Index(documents.segments_of(tx, there)))
    built = Searchable(collection.id, version, words, there, firsts)
    with _lock:
        _held[key] = built
        while len(_held) > MOST_HELD:
            _held.popitem(last=False)
    return built


def matrix_of(
    tx: Transaction, collection: Collection, found: Searchable, model: str
) -> NDArray[np.float32]:
    """A row for each passage. Raises Conflict where some have no vector yet: what is found would depend on which."""
    if model in found.matrices:
        return found.matrices[model]
    hashes = [digest for _, digest in documents.hashes_in(tx, collection, found.version)]
    made = vectors.of(tx, model, hashes)
    missing = sum(digest not in made for digest in hashes)
    sizes = {len(vector) for vector in made.values()}
    if missing or len(sizes) > 1:
        told = (
            f"{count(missing, 'passage')} of “{collection.name}” have no vectors of {model} yet"
            if missing
            else f"The vectors of {model} differ in length"
        )
        raise Conflict(f"{told}. Make them under Knowledge, or look up by words.")
    rows = [made[digest] for digest in hashes]
    matrix = np.stack(rows) if rows else np.zeros((0, 1), np.float32)
    found.matrices[model] = matrix
    return matrix
