"""Looking passages up: by words, by meaning, or by both, within a version of a collection."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator, Sequence
from functools import partial

from epistem.core.engine.needs import Found, FoundPassage, LookUp
from epistem.core.knowledge.fusing import fused
from epistem.core.knowledge.index import Hit, best
from epistem.core.knowledge.meaning import cosines
from epistem.core.prompts.looking_up import LookingUp
from epistem.models.driving import Finding
from epistem.store import models
from epistem.store.database import Database
from epistem.store.knowledge import collections, documents
from epistem.store.knowledge.collections import Collection
from epistem.work.knowledge.embedding import able, vector_of
from epistem.work.knowledge.indexes import Searchable, matrix_of, searchable
from epistem.work.outages import LONGEST_S, once_back

POOL = 100
"""So many of each ranking are fused."""


def find(database: Database, looking: LookingUp, question: str, *, may_ask: bool = True) -> Found:
    """Raises NotFound for a collection or a version that there is not, and where vectors are wanted InvalidInput,
    Conflict or CallFailed as `embedding` and `indexes` do; NotAsked where a model `may` not be asked."""
    with database.transaction() as tx:
        collection = collections.get(tx, looking.collection, away=True)
        version = collections.check_version(collection, looking.version)
        there = searchable(database, tx, collection, version)
    hits, by_words, by_meaning = ranked(
        database, collection, there, looking, question, may_ask=may_ask
    )
    beside = list(_with_neighbours(there, hits, looking.around))
    with database.transaction() as tx:
        passages = documents.at(tx, [there.place(at) for at, _ in beside], there.stems)
    scores = {hit.at: hit.score for hit in hits}
    return Found(
        version,
        tuple(
            FoundPassage(
                passage.reference,
                passage.titled,
                passage.text,
                scores.get(at, 0.0),
                by_words.get(at),
                by_meaning.get(at),
                not found,
            )
            for passage, (at, found) in zip(passages, beside, strict=True)
        ),
    )


def ranked(
    database: Database,
    collection: Collection,
    there: Searchable,
    looking: LookingUp,
    question: str,
    *,
    may_ask: bool = True,
) -> tuple[list[Hit], dict[int, int], dict[int, int]]:
    """What is found, and the places of passages in the rankings by words and by meaning."""
    allowed = there.allowed(looking.tags, looking.since, looking.until)
    pool = max(looking.most, POOL)
    words: list[Hit] = []
    meaning: list[Hit] = []
    if looking.method in ("words", "both"):
        words = there.words.best(database, question, pool, allowed)
    if looking.method in ("meaning", "both"):
        with database.transaction() as tx:
            model = able(models.all_of(tx), collection.embeds_with)
            matrix = matrix_of(tx, collection, there, model.name)
        if len(matrix):
            told = vector_of(database, model, question, may_ask=may_ask)
            meaning = best(cosines(matrix, told), pool, allowed)
    if looking.method == "both":
        hits = fused([[hit.at for hit in words], [hit.at for hit in meaning]], looking.most)
    else:
        hits = (words or meaning)[: looking.most]
    hits = [hit for hit in hits if hit.score >= looking.least]
    places = [{hit.at: rank for rank, hit in enumerate(hits_, 1)} for hits_ in (words, meaning)]
    return hits, places[0], places[1]


def _with_neighbours(
    there: Searchable, hits: Sequence[Hit], around: int
) -> Iterator[tuple[int, bool]]:
    """Places, each once, with whether it was found itself: a neighbour goes where it stands, beside what was."""
    found = {hit.at for hit in hits}
    told: set[int] = set()
    for hit in hits:
        document = there.document_at(hit.at).id
        for at in range(max(hit.at - around, 0), min(hit.at + around + 1, len(there))):
            same = there.place(at)[0] == document
            if same and at not in told and (at == hit.at or at not in found):
                told.add(at)
                yield at, at in found


def finder(database: Database, waits_s: float = LONGEST_S) -> Finding:
    """For the drivers of programs: beside their loop. An outage of the database is waited for."""

    async def look_up(need: LookUp) -> Found:
        doing = partial(asyncio.to_thread, find, database, need.looking, need.question)
        return await once_back(doing, waits_s)

    return look_up
