"""Entries of the model list as they were when a model was asked."""

from __future__ import annotations

import json
from collections.abc import Iterable
from hashlib import sha256

from epistem.store import models
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.models import Model


def keep(tx: Transaction, model: Model) -> int:
    """The id of the entry as it is now; the same for an equal one."""
    text = dumps(models.to_json(model))
    digest = sha256(text.encode()).digest()
    tx.run("INSERT IGNORE INTO model_entries (hash, entry) VALUES (%s, %s)", (digest, text))
    row = tx.first("SELECT id FROM model_entries WHERE hash = %s", [digest])
    assert row is not None
    return int(row[0])


def get_all(tx: Transaction, ids: Iterable[int]) -> dict[int, Model]:
    wanted = list(set(ids))
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    rows = tx.rows(f"SELECT id, entry FROM model_entries WHERE id IN ({marks})", wanted)
    return {int(entry_id): models.from_json(json.loads(entry)) for entry_id, entry in rows}
