"""Sources that SQL tools read: attached files, each kept once by its hash, and databases elsewhere."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from hashlib import sha256
from typing import Any, Literal

from epistem.core.errors import NotFound
from epistem.store.database import Transaction
from epistem.store.documents import dumps

PIECE_BYTES = 4_000_000
"""Well below the largest packet that the server takes."""
_COLUMNS = "name, about, kind, hash, file, size, place, changed_at, changed_by"


@dataclass(frozen=True)
class KeptSource:
    """`hash` is that of an attached file; `place` tells where another one is."""

    name: str
    about: str
    kind: Literal["sqlite", "mariadb"]
    hash: bytes | None
    file: str
    size: int
    place: dict[str, Any]
    changed_at: datetime
    changed_by: str


def all_of(tx: Transaction, most: int = 2**31) -> list[KeptSource]:
    """The first by name."""
    rows = tx.rows(f"SELECT {_COLUMNS} FROM sources ORDER BY name LIMIT %s", [most])
    return [_from_row(row) for row in rows]


def get(tx: Transaction, name: str) -> KeptSource:
    """Raises NotFound."""
    row = name.isascii() and tx.first(f"SELECT {_COLUMNS} FROM sources WHERE name = %s", [name])
    if not row:
        raise NotFound(f"There is no source called “{name[:70]}”.", field="source")
    return _from_row(row)


def put_file(tx: Transaction, name: str, about: str, file: str, content: bytes) -> None:
    """Attach a file under that name, in the place of what was there."""
    _alone(tx)
    digest = sha256(content).digest()
    if not tx.first("SELECT 1 FROM source_pieces WHERE hash = %s AND piece = 0", [digest]):
        for at, start in enumerate(range(0, len(content), PIECE_BYTES)):
            tx.run(
                "INSERT IGNORE INTO source_pieces (hash, piece, content) VALUES (%s, %s, %s)",
                (digest, at, content[start : start + PIECE_BYTES]),
            )
    _put(tx, name, about, "sqlite", digest, file, len(content), None)
    _clear(tx)


def put_place(tx: Transaction, name: str, about: str, place: dict[str, Any]) -> None:
    _alone(tx)
    _put(tx, name, about, "mariadb", None, "", 0, dumps(place))
    _clear(tx)


def remove(tx: Transaction, name: str) -> None:
    _alone(tx)
    tx.run("DELETE FROM sources WHERE name = %s", [name])
    _clear(tx)


def content_of(tx: Transaction, digest: bytes) -> Iterator[bytes]:
    """An attached file, piece by piece."""
    for (piece,) in tx.rows(
        "SELECT piece FROM source_pieces WHERE hash = %s ORDER BY piece", [digest]
    ):
        row = tx.first(
            "SELECT content FROM source_pieces WHERE hash = %s AND piece = %s", (digest, piece)
        )
        if row is not None:
            yield row[0]


def _alone(tx: Transaction) -> None:
    """Changes one after the other: what one attaches is not what another clears away."""
    tx.rows("SELECT id FROM sources FOR UPDATE")


def _put(
    tx: Transaction,
    name: str,
    about: str,
    kind: str,
    digest: bytes | None,
    file: str,
    size: int,
    place: str | None,
) -> None:
    tx.run(
        "INSERT INTO sources (name, about, kind, hash, file, size, place, changed_by) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s) ON DUPLICATE KEY UPDATE about = VALUES(about), "
        "kind = VALUES(kind), hash = VALUES(hash), file = VALUES(file), size = VALUES(size), "
        "place = VALUES(place), changed_by = VALUES(changed_by), changed_at = NOW(3)",
        (name, about, kind, digest, file, size, place, tx.by),
    )


def _clear(tx: Transaction) -> None:
    """Files that no source has any more."""
    tx.run(
        "DELETE FROM source_pieces WHERE hash NOT IN (SELECT hash FROM sources WHERE hash IS NOT NULL)"
    )


def _from_row(row: tuple[Any, ...]) -> KeptSource:
    name, about, kind, digest, file, size, place, *changed = row
    told = json.loads(place) if place else {}
    return KeptSource(name, about, kind, digest and bytes(digest), file, size, told, *changed)
