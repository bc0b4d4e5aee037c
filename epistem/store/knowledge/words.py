"""The database's own index of words, for collections that are searched by it."""

from __future__ import annotations

from collections.abc import Sequence

from epistem.store.database import Transaction

A_BATCH = 500


def missing(tx: Transaction, versions: Sequence[int]) -> list[int]:
    """Those of these versions of documents that are not in it yet."""
    if not versions:
        return []
    told = ", ".join(["%s"] * len(versions))
    there = tx.rows(
        f"SELECT DISTINCT version_id FROM passage_words WHERE version_id IN ({told})", versions
    )
    known = {int(row[0]) for row in there}
    return [each for each in versions if each not in known]


def add(tx: Transaction, version_id: int, texts: Sequence[str]) -> None:
    """The terms of each passage of a version of a document, in order."""
    for first in range(0, len(texts), A_BATCH):
        some = texts[first : first + A_BATCH]
        tx.run_many(
            "INSERT IGNORE INTO passage_words (version_id, position, words) VALUES (%s, %s, %s)",
            [(version_id, first + at, text) for at, text in enumerate(some)],
        )


def best(
    tx: Transaction, versions: Sequence[int], asked: str, most: int
) -> list[tuple[int, int, float]]:
    """(version of the document, position, score) of those that score highest; of equal ones the first."""
    if not versions or not asked:
        return []
    told = ", ".join(["%s"] * len(versions))
    rows = tx.rows(
        "SELECT version_id, position, MATCH (words) AGAINST (%s) AS score FROM passage_words "
        f"WHERE MATCH (words) AGAINST (%s) AND version_id IN ({told}) "
        "ORDER BY score DESC, version_id, position LIMIT %s",
        (asked, asked, *versions, most),
    )
    return [(int(version), int(position), float(score)) for version, position, score in rows]
