"""Vectors of passages and questions, each made once by each model."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np
from numpy.typing import NDArray

from epistem.store.database import Transaction

_A_TIME = 500
Vector = NDArray[np.float32]


def of(tx: Transaction, model: str, hashes: Collection[bytes]) -> dict[bytes, Vector]:
    """Those that are kept."""
    found: dict[bytes, Vector] = {}
    told = list(dict.fromkeys(hashes))
    for start in range(0, len(told), _A_TIME):
        some = told[start : start + _A_TIME]
        marks = ", ".join(["%s"] * len(some))
        for digest, vector in tx.rows(
            f"SELECT hash, vector FROM vectors WHERE model = %s AND hash IN ({marks})",
            (model, *some),
        ):
            found[bytes(digest)] = np.frombuffer(vector, "<f4").astype(np.float32)
    return found


def lacking(
    tx: Transaction, model: str, collection_id: int, version: int
) -> tuple[dict[bytes, int], int]:
    """The passages' texts in that version of a collection that have no vector, with their characters, by hash;
    and how many different texts there are. No vector is read for it."""
    inside = (
        "FROM document_versions v JOIN passages p ON p.version_id = v.id {} WHERE v.collection_id = %s "
        "AND v.since <= %s AND (v.until IS NULL OR v.until > %s)"
    )
    place = (collection_id, version, version)
    total = tx.number(f"SELECT COUNT(DISTINCT p.hash) {inside.format('')}", place)
    joined = inside.format("LEFT JOIN vectors x ON x.model = %s AND x.hash = p.hash")
    rows = tx.rows(
        f"SELECT p.hash, MIN(CHAR_LENGTH(p.content)) {joined} AND x.hash IS NULL GROUP BY p.hash "
        "ORDER BY p.hash",
        (model, *place),
    )
    return {bytes(digest): int(characters) for digest, characters in rows}, total


def keep(tx: Transaction, model: str, made: Mapping[bytes, Vector]) -> None:
    tx.run_many(
        "INSERT IGNORE INTO vectors (model, hash, vector) VALUES (%s, %s, %s)",
        [(model, digest, vector.astype("<f4").tobytes()) for digest, vector in made.items()],
    )
