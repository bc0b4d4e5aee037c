"""Entries of the model list as they were when a model was asked."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import replace
from hashlib import sha256
from typing import Any

from epistem.store import models
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.models import Model


def keep(tx: Transaction, model: Model) -> int:
    """The id of the entry as it is now; the same for an equal one."""
    text, digest = _digest(model)
    tx.run("INSERT IGNORE INTO model_entries (hash, entry) VALUES (%s, %s)", (digest, text))
    row = tx.first("SELECT id FROM model_entries WHERE hash = %s", [digest])
    assert row is not None
    return int(row[0])


def keep_identity(tx: Transaction, model: Model) -> int:
    """The id of what bears on its answers: what a model said before holds as long as it is the same."""
    return keep(tx, _identity(model))


def identity(tx: Transaction, model: Model) -> int | None:
    """As `keep_identity`, None for one that is not kept: a look writes nothing."""
    row = tx.first("SELECT id FROM model_entries WHERE hash = %s", [_digest(_identity(model))[1]])
    return None if row is None else int(row[0])


def answer_alike(model: Model, other: Model) -> bool:
    """Whether nothing differs that bears on their answers."""
    return _digest(_identity(model)) == _digest(_identity(other))


def _identity(model: Model) -> Model:
    """The entry without its price, its limits, and the address of one that is built in."""
    usual = Model(model.name, "", None, 0, 0.0, 0.0)
    matters = ("served_as", "wire_format", "headers", "built_in", "habits", "abilities")
    told: dict[str, Any] = {name: getattr(model, name) for name in matters}
    if not model.built_in:
        told["address"] = model.address
    return replace(usual, **told)


def _digest(model: Model) -> tuple[str, bytes]:
    text = dumps(models.to_json(model))
    return text, sha256(text.encode()).digest()


def get_all(tx: Transaction, ids: Iterable[int]) -> dict[int, Model]:
    wanted = list(set(ids))
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    rows = tx.rows(f"SELECT id, entry FROM model_entries WHERE id IN ({marks})", wanted)
    return {int(entry_id): models.from_json(json.loads(entry)) for entry_id, entry in rows}
