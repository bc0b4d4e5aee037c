"""Which passages went into the requests of readings. Their texts are those of the collection's version."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any, NamedTuple

from epistem.core.engine.looking import FoundIn
from epistem.core.engine.needs import FoundPassage
from epistem.core.errors import NotFound
from epistem.core.knowledge.references import parted
from epistem.core.prompts.looking_up import LookingUp
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.knowledge import collections, documents

_A_TIME = 500


class FoundFor(NamedTuple):
    """`turn` counts the answers of a talk, from 0."""

    turn: int
    found: FoundIn


def insert(tx: Transaction, rows: Sequence[tuple[int, FoundFor]]) -> None:
    """By the ids of cells."""
    tx.run_many(
        "INSERT IGNORE INTO found (cell_id, turn, input, looking, question, passages) "
        "VALUES (%s, %s, %s, %s, %s, %s)",
        [
            (
                cell_id, turn, found.input, dumps(found.looking.to_json()),
                found.question.encode("utf-8", "replace"),
                dumps([(p.reference, p.score, p.by_words, p.by_meaning, p.beside) for p in found.passages]),
            )
            for cell_id, (turn, found) in rows
        ],
    )  # fmt: skip


def of_cells(tx: Transaction, cell_ids: Sequence[int]) -> dict[int, list[FoundFor]]:
    """By cell, in the order of turns. A passage whose collection is gone for good has no text."""
    rows: list[tuple[Any, ...]] = []
    for start in range(0, len(cell_ids), _A_TIME):
        some = cell_ids[start : start + _A_TIME]
        rows += tx.rows(
            "SELECT cell_id, turn, input, looking, question, passages FROM found "
            f"WHERE cell_id IN ({', '.join(['%s'] * len(some))}) ORDER BY cell_id, turn, input",
            some,
        )
    parsed = [
        (cell_id, turn, name, LookingUp.from_json(json.loads(looking)), question, json.loads(told))
        for cell_id, turn, name, looking, question, told in rows
    ]
    wanted: dict[tuple[str, int], list[str]] = {}
    for _, _, _, looking, _, told in parsed:
        wanted.setdefault((looking.collection, looking.version or 0), []).extend(p[0] for p in told)
    texts = {place: _texts(tx, *place, references) for place, references in wanted.items()}
    found: dict[int, list[FoundFor]] = {}
    for cell_id, turn, name, looking, question, told in parsed:
        there = texts[looking.collection, looking.version or 0]
        passages = tuple(
            FoundPassage(ref, *there.get(ref, ("", "")), score, words, meaning, beside)
            for ref, score, words, meaning, beside in told
        )
        found.setdefault(cell_id, []).append(
            FoundFor(turn, FoundIn(name, looking, question, passages))
        )
    return found


def _texts(
    tx: Transaction, name: str, version: int, references: Sequence[str]
) -> dict[str, tuple[str, str]]:
    """Title and text by reference."""
    split = [found for each in references if (found := parted(each))]
    try:
        collection = collections.get(tx, name, away=True)
    except NotFound:
        return {}
    there = documents.by_reference(tx, collection, version, split)
    return {ref: (each.titled, each.text) for ref, each in there.items()}
