"""Collections and their versions. A version is a number: what was in it is told by `since` and `until`
of the documents' versions."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, NamedTuple

import pymysql

from epistem.core.errors import Conflict, NotFound
from epistem.store.database import Transaction, is_duplicate

_COLUMNS = (
    "c.id, c.name, c.note, c.version, c.embeds_with, c.searched_by, c.deleted_at, "
    "COALESCE(v.documents, 0), COALESCE(v.passages, 0), COALESCE(v.made_at, c.created_at), "
    "COALESCE(v.made_by, c.created_by)"
)
_FROM = (
    "FROM collections c LEFT JOIN collection_versions v "
    "ON v.collection_id = c.id AND v.number = c.version"
)


SearchedBy = Literal["memory", "database"]


@dataclass(frozen=True)
class Collection:
    """`version` is its newest, 0 while it is empty, and the numbers after it are that one's."""

    id: int
    name: str
    note: str
    version: int
    embeds_with: str | None
    searched_by: SearchedBy
    deleted_at: datetime | None
    documents: int
    passages: int
    changed_at: datetime
    changed_by: str


class CollectionVersion(NamedTuple):
    number: int
    told: str
    documents: int
    passages: int
    made_by: str
    made_at: datetime


def create(tx: Transaction, name: str, note: str = "") -> Collection:
    """Raises Conflict for a name in use."""
    try:
        tx.insert(
            "INSERT INTO collections (name, note, created_by) VALUES (%s, %s, %s)",
            (name, note, tx.by),
        )
    except pymysql.IntegrityError as error:
        if is_duplicate(error):
            raise Conflict(
                f"There is a collection called “{name}” already. Choose another name.", field="name"
            ) from error
        raise
    return get(tx, name)


def get(tx: Transaction, name: str, *, lock: bool = False, away: bool = False) -> Collection:
    """Raises NotFound, also for one that was put away, unless `away`."""
    row = name.isascii() and tx.first(f"SELECT {_COLUMNS} {_FROM} WHERE c.name = %s", [name])
    if not row or (row[6] is not None and not away):
        raise NotFound(f"There is no collection called “{name[:70]}”.", field="collection")
    if lock:
        tx.run("SELECT id FROM collections WHERE id = %s FOR UPDATE", [row[0]])
        return get(tx, name, away=away)
    return Collection(*row)


def named(tx: Transaction, number: int) -> str:
    """The name of a collection by its id, put away or not."""
    row = tx.first("SELECT name FROM collections WHERE id = %s", [number])
    if row is None:
        raise NotFound("There is no such collection.", field="collection")
    return str(row[0])


def all_of(tx: Transaction) -> list[Collection]:
    """By name."""
    rows = tx.rows(f"SELECT {_COLUMNS} {_FROM} WHERE c.deleted_at IS NULL ORDER BY c.name")
    return [Collection(*row) for row in rows]


def describe(
    tx: Transaction,
    collection: Collection,
    note: str,
    embeds_with: str | None,
    searched_by: SearchedBy | None = None,
) -> None:
    tx.run(
        "UPDATE collections SET note = %s, embeds_with = %s, searched_by = %s WHERE id = %s",
        (note, embeds_with, searched_by or collection.searched_by, collection.id),
    )


def set_away(tx: Transaction, collection: Collection, away: bool) -> None:
    sql = "UPDATE collections SET deleted_at = IF(%s, NOW(3), NULL) WHERE id = %s"
    tx.run(sql, (away, collection.id))


def add_version(
    tx: Transaction, collection: Collection, told: str, documents: int, passages: int
) -> int:
    """The next version's number. The collection's row is to be locked."""
    number = collection.version + 1
    tx.run(
        "INSERT INTO collection_versions (collection_id, number, told, documents, passages, made_by) "
        "VALUES (%s, %s, %s, %s, %s, %s)",
        (collection.id, number, told[:400], documents, passages, tx.by),
    )
    tx.run("UPDATE collections SET version = %s WHERE id = %s", (number, collection.id))
    return number


def versions_of(tx: Transaction, collection: Collection, most: int) -> list[CollectionVersion]:
    """Newest first."""
    rows = tx.rows(
        "SELECT number, told, documents, passages, made_by, made_at FROM collection_versions "
        "WHERE collection_id = %s ORDER BY number DESC LIMIT %s",
        (collection.id, most),
    )
    return [CollectionVersion(*row) for row in rows]


def check_version(collection: Collection, version: int | None) -> int:
    """The newest for None. Raises NotFound for one that there is not."""
    if version is None:
        return collection.version
    if not 1 <= version <= collection.version:
        told = f"It has {collection.version}." if collection.version else "It is empty."
        raise NotFound(
            f"“{collection.name}” has no version {version}. {told}", field="look_up.version"
        )
    return version


def uses(tx: Transaction) -> dict[str, list[str]]:
    """By collection the subjects whose draft, or newest version, has an input that is looked up there."""
    found: dict[str, dict[str, None]] = {}
    for subject, names in tx.rows(
        """
        SELECT s.name, JSON_EXTRACT(d.content, '$.inputs[*].look_up.collection')
          FROM drafts d JOIN subjects s ON s.id = d.subject_id
        UNION ALL
        SELECT s.name, JSON_EXTRACT(v.content, '$.inputs[*].look_up.collection')
          FROM versions v JOIN subjects s ON s.id = v.subject_id
         WHERE v.number = (SELECT MAX(number) FROM versions w WHERE w.subject_id = v.subject_id)
         ORDER BY 1
        """
    ):
        for name in json.loads(names or "[]"):
            found.setdefault(name, {})[subject] = None
    return {name: list(subjects) for name, subjects in found.items()}
