"""Vectors of passages and of questions: each text is given to a model once."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.knowledge.meaning import unit
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK
from epistem.store import models
from epistem.store.database import Database
from epistem.store.knowledge import collections, documents, vectors
from epistem.store.models import Model
from epistem.work.limits import SharedLimits

A_TIME = 64
"""Texts in one request."""
A_TOKEN = 4
"""Characters, about: what vectors will cost is told as an estimate."""
MOST_CHARACTERS = 8_000
"""Of a text that a model is given; of a longer one its beginning."""


class NotAsked(EpistemError):
    """A question has no vector yet, and nobody is to be asked for it: somebody is still typing."""


class Progress(NamedTuple):
    """Of all passages how many have a vector; `cents` is what the rest will cost, about."""

    done: int
    total: int
    cents: float


def able(listed: Sequence[Model], name: str | None) -> Model:
    """The model that makes vectors. Raises InvalidInput where there is none, or it does not do that."""
    if not name:
        raise InvalidInput(
            "This collection has no model that makes vectors. Choose one under Knowledge, or look up by words.",
            field="embeds_with",
        )
    model = models.pick(listed, name)
    if "embeddings" not in model.abilities:
        raise InvalidInput(
            f"The model “{name}” makes no vectors of texts. Choose another one, or tick that it can.",
            field="embeds_with",
        )
    return model


def progress(database: Database, name: str) -> Progress:
    """Of the newest version, with its own model."""
    with database.transaction() as tx:
        collection = collections.get(tx, name)
        model = able(models.all_of(tx), collection.embeds_with)
        missing, total = vectors.lacking(tx, model.name, collection.id, collection.version)
    asked = sum(min(each, MOST_CHARACTERS) for each in missing.values()) / A_TOKEN
    return Progress(total - len(missing), total, asked * model.input_cents / 1e6)


def go_on(database: Database, name: str, batches: int = 1) -> Progress:
    """Some more vectors of the newest version: what is made is kept at once, so it can be broken off at any
    time. Raises CallFailed where the model gives none."""
    with database.transaction() as tx:
        collection = collections.get(tx, name)
        model = able(models.all_of(tx), collection.embeds_with)
        missing, _ = vectors.lacking(tx, model.name, collection.id, collection.version)
        texts = documents.texts_by_hash(tx, list(missing)[: batches * A_TIME])
    _make(database, model, texts)
    return progress(database, name)


def ready(database: Database, model: Model, questions: Sequence[str]) -> None:
    """Have the vectors of many questions: those that are not kept are asked for together. Raises CallFailed."""
    texts = {documents.text_hash(question): question for question in questions}
    with database.transaction() as tx:
        there = vectors.of(tx, model.name, texts)
    _make(database, model, {each: text for each, text in texts.items() if each not in there})


def _make(database: Database, model: Model, texts: Mapping[bytes, str]) -> None:
    """In requests of so many texts, each kept as it comes."""
    hashes = list(texts)
    for start in range(0, len(hashes), A_TIME):
        now = hashes[start : start + A_TIME]
        made = embedded(database, model, [texts[digest] for digest in now])
        with database.transaction() as tx:
            vectors.keep(tx, model.name, dict(zip(now, made, strict=True)))


def vector_of(
    database: Database, model: Model, question: str, *, may_ask: bool = True
) -> NDArray[np.float32]:
    """Of a question; the same one is given to the model once. Raises CallFailed, and NotAsked where it would have
    to be asked and may not be."""
    digest = documents.text_hash(question)
    with database.transaction() as tx:
        there = vectors.of(tx, model.name, [digest])
    if digest in there:
        return there[digest]
    if not may_ask:
        raise NotAsked("The question has no vector yet.")
    [made] = embedded(database, model, [question])
    with database.transaction() as tx:
        vectors.keep(tx, model.name, {digest: made})
    return made


def embedded(database: Database, model: Model, texts: Sequence[str]) -> list[NDArray[np.float32]]:
    return asyncio.run(_embedded(database, model, [text[:MOST_CHARACTERS] for text in texts]))


async def _embedded(
    database: Database, model: Model, texts: Sequence[str]
) -> list[NDArray[np.float32]]:
    limits = SharedLimits(database)
    try:
        async with ModelClient(in_flight=1, retry=QUICK, limits=limits) as client:
            told = await client.embed(Endpoint.of(model), model.asked_as, texts)
    finally:
        limits.close()
    return [unit(vector) for vector in told]
