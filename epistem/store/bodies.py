"""Bodies of requests, each kept once by its hash."""

from __future__ import annotations

from collections.abc import Iterable
from hashlib import sha256

from epistem.core.engine.needs import SharedBody
from epistem.store.database import StoreError, Transaction

A_STATEMENT = 8_000_000
"""Bytes of content that are sent in one statement, or one body if it is longer."""


class Spoilt(StoreError):
    """What was kept is not what was put there."""


def keep(tx: Transaction, bodies: Iterable[SharedBody]) -> dict[bytes, int]:
    """Their ids by hash. In a transaction of its own: others may be keeping the same ones."""
    told = {body.hash: body for body in bodies}
    if not told:
        return {}
    in_order = [
        told[each] for each in sorted(told)
    ]  # so that two who keep the same never wait in a ring
    known = _ids(tx, list(told))
    batch: list[SharedBody] = []
    size = 0
    for body in in_order:
        if body.hash in known:
            continue
        if batch and size + len(body.content) > A_STATEMENT:
            _insert(tx, batch)
            batch, size = [], 0
        batch.append(body)
        size += len(body.content)
    _insert(tx, batch)
    return _ids(tx, list(told)) if len(known) < len(told) else known


def content_of(tx: Transaction, ids: Iterable[int]) -> dict[int, bytes]:
    """By id. Raises Spoilt for one that is not what its hash says."""
    wanted = list(set(ids))
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    found = {}
    for body_id, digest, content in tx.rows(
        f"SELECT id, hash, content FROM bodies WHERE id IN ({marks})", wanted
    ):
        if sha256(content).digest() != digest:
            raise Spoilt(f"The body {body_id} is not what was sent: its hash does not agree.")
        found[body_id] = content
    return found


def _insert(tx: Transaction, batch: list[SharedBody]) -> None:
    tx.run_many(
        "INSERT IGNORE INTO bodies (hash, content) VALUES (%s, %s)",
        [(body.hash, body.content) for body in batch],
    )


def _ids(tx: Transaction, hashes: list[bytes]) -> dict[bytes, int]:
    marks = ", ".join(["%s"] * len(hashes))
    rows = tx.rows(f"SELECT hash, id FROM bodies WHERE hash IN ({marks})", hashes)
    return {bytes(digest): int(body_id) for digest, body_id in rows}
