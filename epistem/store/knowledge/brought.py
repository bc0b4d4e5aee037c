"""Documents that were brought and are looked at; nothing of them is kept yet."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from epistem.core.errors import NotFound
from epistem.core.knowledge.cutting import Cut
from epistem.core.knowledge.text import Text
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.knowledge.collections import Collection
from epistem.store.knowledge.documents import places_of, text_from

OPEN_DAYS = 2
"""What nobody kept goes after so long."""


@dataclass(frozen=True)
class Brought:
    """`problem` says why it can't be read, "" for one that can; `told` what was left out. Without a `cut` of
    its own it is cut as the others are."""

    id: int
    file: str
    text: Text
    told: list[str]
    problem: str
    cut: Cut | None


def add(tx: Transaction, collection: Collection, file: str, text: Text, problem: str = "") -> int:
    """In place of what was brought under this name before. Its id."""
    tx.run(
        "DELETE FROM brought_documents WHERE (collection_id = %s AND file = %s) "
        "OR brought_at < NOW() - INTERVAL %s DAY",
        (collection.id, file[:300], OPEN_DAYS),
    )
    return tx.insert(
        "INSERT INTO brought_documents (collection_id, file, title, headings, told, content, problem, "
        "brought_by) VALUES (%s, %s, %s, %s, %s, %s, %s, %s)",
        (
            collection.id, file[:300], text.title[:200], places_of(text).encode(), dumps(text.told),
            text.text.encode("utf-8", "replace"), problem[:400], tx.by,
        ),
    )  # fmt: skip


def all_of(tx: Transaction, collection: Collection) -> list[Brought]:
    """By file."""
    rows = tx.rows(
        "SELECT id, file, title, headings, told, content, problem, cut FROM brought_documents "
        "WHERE collection_id = %s ORDER BY file",
        [collection.id],
    )
    return [_from_row(row) for row in rows]


def get(tx: Transaction, collection: Collection, number: int) -> Brought:
    row = tx.first(
        "SELECT id, file, title, headings, told, content, problem, cut FROM brought_documents "
        "WHERE collection_id = %s AND id = %s",
        (collection.id, number),
    )
    if row is None:
        raise NotFound(
            f"This file is not here any more: what is not kept goes after {OPEN_DAYS} days. Bring it "
            "in again.",
            field="file",
        )
    return _from_row(row)


def set_cut(tx: Transaction, number: int, cut: Cut | None) -> None:
    told = None if cut is None else dumps(cut.to_json())
    tx.run("UPDATE brought_documents SET cut = %s WHERE id = %s", (told, number))


def drop(tx: Transaction, collection: Collection, number: int | None = None) -> None:
    """One, or all."""
    if number is None:
        tx.run("DELETE FROM brought_documents WHERE collection_id = %s", [collection.id])
    else:
        tx.run(
            "DELETE FROM brought_documents WHERE collection_id = %s AND id = %s",
            (collection.id, number),
        )


def _from_row(row: tuple[Any, ...]) -> Brought:
    number, file, title, places, told, content, problem, cut = row
    return Brought(
        number, file, text_from(content, title, json.loads(places)), json.loads(told), problem,
        None if cut is None else Cut.from_json(json.loads(cut)),
    )  # fmt: skip
