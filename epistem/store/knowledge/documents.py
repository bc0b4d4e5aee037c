"""Documents of a collection, in versions, each cut into passages."""

from __future__ import annotations

import json
from collections.abc import Collection as Some
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from hashlib import sha256
from typing import Any, NamedTuple

from epistem.core.errors import NotFound
from epistem.core.knowledge.cutting import Cut, Slice
from epistem.core.knowledge.segments import Segment, segment_from_bytes, segment_to_bytes
from epistem.core.knowledge.text import Heading, Text
from epistem.store.case_lists import within
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.knowledge.collections import Collection

_COLUMNS = (
    "v.id, v.document_id, d.stem, d.highest, v.since, v.file, v.title, v.tags, v.dated, v.cut, "
    "v.text_hash, v.passages, v.changed_by, v.changed_at"
)
_IN = "v.collection_id = %s AND v.since <= %s AND (v.until IS NULL OR v.until > %s)"
_A_TIME = 500


@dataclass(frozen=True)
class DocumentVersion:
    """`highest` is the highest number that a passage of the document ever had."""

    id: int
    document_id: int
    stem: str
    highest: int
    since: int
    file: str
    title: str
    tags: list[str]
    dated: date | None
    cut: Cut
    text_hash: bytes
    passages: int
    changed_by: str
    changed_at: datetime


class Passage(NamedTuple):
    """`text` is what stands between `lead` and `stop` in the document; `reference` is `luggage#3`."""

    reference: str
    position: int
    number: int
    hash: bytes
    title: str
    path: list[str]
    start: int
    stop: int
    lead: int
    text: str

    @property
    def titled(self) -> str:
        """`Luggage rules › Bicycles`."""
        return " › ".join(self.path) or self.title


class NewVersion(NamedTuple):
    """What a version of a document is made of."""

    file: str
    text: Text
    cut: Cut
    slices: Sequence[Slice]
    numbers: Sequence[int]
    segment: Segment
    tags: Sequence[str] = ()
    dated: date | None = None


def text_hash(text: str) -> bytes:
    return sha256(text.encode("utf-8", "replace")).digest()


def passage_text(text: str, piece: Slice) -> str:
    return text[piece.lead : piece.end].strip()


def in_version(tx: Transaction, collection: Collection, version: int) -> list[DocumentVersion]:
    """The documents as they are in a version of the collection, by stem."""
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM document_versions v JOIN documents d ON d.id = v.document_id "
        f"WHERE {_IN} ORDER BY d.stem",
        (collection.id, version, version),
    )
    return [_from_row(row) for row in rows]


def listed(
    tx: Transaction, collection: Collection, version: int, find: str, most: int
) -> list[DocumentVersion]:
    """The first of them by stem, of those whose title, file or stem has these words."""
    words = [within(word) for word in find.split()[:8]]
    wanted = (
        " AND CONCAT_WS(' ', d.stem, v.title, v.file) COLLATE utf8mb4_general_ci LIKE %s ESCAPE '!'"
    )
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM document_versions v JOIN documents d ON d.id = v.document_id "
        f"WHERE {_IN}{wanted * len(words)} ORDER BY d.stem LIMIT %s",
        (collection.id, version, version, *words, most),
    )
    return [_from_row(row) for row in rows]


def get(tx: Transaction, collection: Collection, stem: str, version: int) -> DocumentVersion:
    """Raises NotFound."""
    row = stem.isascii() and tx.first(
        f"SELECT {_COLUMNS} FROM document_versions v JOIN documents d ON d.id = v.document_id "
        f"WHERE {_IN} AND d.stem = %s",
        (collection.id, version, version, stem),
    )
    if not row:
        raise NotFound(
            f"“{collection.name}” has no document “{stem[:70]}” in version {version}.",
            field="document",
        )
    return _from_row(row)


def stems_of(tx: Transaction, collection: Collection) -> list[str]:
    """Of all that were ever in it."""
    rows = tx.rows("SELECT stem FROM documents WHERE collection_id = %s", [collection.id])
    return [str(row[0]) for row in rows]


def text_of(tx: Transaction, found: DocumentVersion) -> Text:
    row = tx.first("SELECT content, headings FROM document_versions WHERE id = %s", [found.id])
    assert row is not None
    return text_from(row[0], found.title, json.loads(row[1]))


def text_from(content: str, title: str, places: dict[str, Any]) -> Text:
    headings, rows = (
        tuple(Heading(*each) for each in places.get(name, [])) for name in ("headings", "rows")
    )
    return Text(content, title, headings, rows)


def places_of(text: Text) -> str:
    """Headings and rows, as JSON."""
    return dumps({"headings": text.headings, "rows": text.rows})


def passages_of(
    tx: Transaction, found: DocumentVersion, after: int = -1, most: int | None = None
) -> list[Passage]:
    """In order, those behind the position `after`."""
    rows = tx.rows(
        "SELECT position, number, hash, title, path, start, stop, lead, content FROM passages "
        f"WHERE version_id = %s AND position > %s ORDER BY position{' LIMIT %s' if most else ''}",
        (found.id, after, *([most] if most else [])),
    )
    return [_passage(found.stem, row) for row in rows]


def at(tx: Transaction, places: Sequence[tuple[int, int]], stems: dict[int, str]) -> list[Passage]:
    """By (version of a document, position), in that order; `stems` are of those versions."""
    found: dict[tuple[int, int], Passage] = {}
    for some in _some(list(dict.fromkeys(places))):
        told = ", ".join(["(%s, %s)"] * len(some))
        for row in tx.rows(
            "SELECT position, number, hash, title, path, start, stop, lead, content, version_id "
            f"FROM passages WHERE (version_id, position) IN ({told})",
            [value for place in some for value in place],
        ):
            found[row[-1], row[0]] = _passage(stems[row[-1]], row[:-1])
    return [found[place] for place in places if place in found]


def by_reference(
    tx: Transaction, collection: Collection, version: int, references: Sequence[tuple[str, int]]
) -> dict[str, Passage]:
    """By their references, as far as that version has them."""
    found: dict[str, Passage] = {}
    for some in _some(list(dict.fromkeys(references))):
        told = " OR ".join(["(d.stem = %s AND p.number = %s)"] * len(some))
        for row in tx.rows(
            "SELECT p.position, p.number, p.hash, p.title, p.path, p.start, p.stop, p.lead, p.content, "
            "d.stem FROM document_versions v JOIN documents d ON d.id = v.document_id "
            f"JOIN passages p ON p.version_id = v.id WHERE {_IN} AND ({told})",
            (collection.id, version, version, *(value for each in some for value in each)),
        ):
            passage = _passage(row[-1], row[:-1])
            found[passage.reference] = passage
    return found


def numbers_of(tx: Transaction, versions: Sequence[int]) -> dict[int, list[int]]:
    """The numbers of the passages of these versions of documents, in order."""
    found: dict[int, list[int]] = {number: [] for number in versions}
    for some in _some(list(versions)):
        told = ", ".join(["%s"] * len(some))
        for version, number in tx.rows(
            f"SELECT version_id, number FROM passages WHERE version_id IN ({told}) "
            "ORDER BY version_id, position",
            some,
        ):
            found[int(version)].append(int(number))
    return found


def hashes_in(tx: Transaction, collection: Collection, version: int) -> list[tuple[int, bytes]]:
    """(version of the document, hash) of each passage, by stem and position: as an index has them."""
    rows = tx.rows(
        "SELECT p.version_id, p.hash FROM document_versions v JOIN documents d ON d.id = v.document_id "
        f"JOIN passages p ON p.version_id = v.id WHERE {_IN} ORDER BY d.stem, p.position",
        (collection.id, version, version),
    )
    return [(int(number), bytes(digest)) for number, digest in rows]


def texts_by_hash(tx: Transaction, hashes: Some[bytes]) -> dict[bytes, str]:
    found: dict[bytes, str] = {}
    for some in _some(list(hashes)):
        told = ", ".join(["%s"] * len(some))
        found |= tx.rows(f"SELECT hash, content FROM passages WHERE hash IN ({told})", some)
    return found


def segments_of(tx: Transaction, found: Sequence[DocumentVersion]) -> list[Segment]:
    segments: dict[int, Segment] = {}
    for some in _some([each.id for each in found]):
        told = ", ".join(["%s"] * len(some))
        for number, content in tx.rows(
            f"SELECT id, segment FROM document_versions WHERE id IN ({told})", some
        ):
            segments[number] = segment_from_bytes(content)
    return [segments[each.id] for each in found]


def add_document(tx: Transaction, collection: Collection, stem: str) -> int:
    """Its id."""
    return tx.insert(
        "INSERT INTO documents (collection_id, stem) VALUES (%s, %s)", (collection.id, stem)
    )


def document_id(tx: Transaction, collection: Collection, stem: str) -> tuple[int, int] | None:
    """(id, highest number) of a document that was ever in it; None where none was."""
    row = tx.first(
        "SELECT id, highest FROM documents WHERE collection_id = %s AND stem = %s",
        (collection.id, stem),
    )
    return None if row is None else (int(row[0]), int(row[1]))


def add_version(
    tx: Transaction, collection: Collection, document: int, since: int, new: NewVersion
) -> int:
    """A version of a document from that version of the collection on; its id. The one before ends there."""
    end(tx, document, since)
    made = tx.insert(
        "INSERT INTO document_versions (document_id, collection_id, since, file, title, tags, dated, cut, "
        "headings, content, text_hash, passages, segment, changed_by) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
        (
            document, collection.id, since, new.file[:300], new.text.title[:200],
            dumps(list(new.tags)), new.dated, dumps(new.cut.to_json()), places_of(new.text).encode(),
            new.text.text.encode("utf-8", "replace"), text_hash(new.text.text), len(new.slices),
            segment_to_bytes(new.segment), tx.by,
        ),
    )  # fmt: skip
    lines = []
    for position, (piece, number) in enumerate(zip(new.slices, new.numbers, strict=True)):
        text = passage_text(new.text.text, piece)
        lines.append(
            (
                made, position, number, text_hash(text), piece.title[:400], dumps(list(piece.path)),
                piece.start, piece.end, piece.lead, text.encode("utf-8", "replace"),
            )
        )  # fmt: skip
    for some in _some(lines):
        tx.run_many(
            "INSERT INTO passages (version_id, position, number, hash, title, path, start, stop, lead, "
            "content) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
            some,
        )
    if new.numbers:
        tx.run(
            "UPDATE documents SET highest = GREATEST(highest, %s) WHERE id = %s",
            (max(new.numbers), document),
        )
    return made


def end(tx: Transaction, document: int, until: int) -> None:
    """From that version of the collection on the document is not in it."""
    tx.run(
        "UPDATE document_versions SET until = %s WHERE document_id = %s AND until IS NULL",
        (until, document),
    )


def _some(values: Sequence[Any]) -> Iterator[Sequence[Any]]:
    for start in range(0, len(values), _A_TIME):
        yield values[start : start + _A_TIME]


def _from_row(row: tuple[Any, ...]) -> DocumentVersion:
    number, document, stem, highest, since, file, title, tags, dated, cut, *rest = row
    return DocumentVersion(
        number, document, stem, highest, since, file, title, json.loads(tags), dated,
        Cut.from_json(json.loads(cut)), *rest,
    )  # fmt: skip


def _passage(stem: str, row: tuple[Any, ...]) -> Passage:
    position, number, digest, title, path, *rest = row
    return Passage(
        f"{stem}#{number}", position, number, bytes(digest), title, json.loads(path), *rest
    )
