"""What inputs were called before, so that older versions can be asked with the inputs of today."""

from __future__ import annotations

from epistem.store.database import Transaction
from epistem.store.subjects import Subject


def keep(tx: Transaction, subject: Subject, old: str, new: str) -> None:
    tx.run(
        "INSERT INTO input_renames (subject_id, old, new) VALUES (%s, %s, %s)",
        (subject.id, old, new),
    )


def all_of(tx: Transaction, subject: Subject) -> list[tuple[str, str]]:
    """(old, new), in the order in which inputs were renamed."""
    return [
        (old, new)
        for old, new in tx.rows(
            "SELECT old, new FROM input_renames WHERE subject_id = %s ORDER BY id", [subject.id]
        )
    ]
