"""Collections made, described, put away and brought back."""

from __future__ import annotations

import re

from epistem.core.errors import Conflict, InvalidInput
from epistem.core.shapes import count, listed
from epistem.store import models
from epistem.store.database import Transaction
from epistem.store.knowledge import collections
from epistem.store.knowledge.collections import Collection, SearchedBy
from epistem.work.knowledge.embedding import able

_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,62}\Z")


def create(tx: Transaction, name: str, note: str) -> Collection:
    """Raises InvalidInput for a name that can't be one, and Conflict for one in use."""
    name = name.strip()
    if not _NAME.match(name):
        raise InvalidInput(
            f"“{name[:70]}” can't be the name of a collection: use small letters, digits and hyphens, at "
            "most 63.",
            field="name",
        )
    return collections.create(tx, name, note.strip())


def describe(
    tx: Transaction,
    name: str,
    note: str,
    embeds_with: str | None,
    searched_by: SearchedBy | None = None,
) -> Collection:
    """Raises InvalidInput for a model that makes no vectors."""
    collection = collections.get(tx, name, lock=True)
    if embeds_with:
        able(models.all_of(tx), embeds_with)
    collections.describe(tx, collection, note.strip(), embeds_with or None, searched_by)
    return collections.get(tx, name)


def set_away(tx: Transaction, name: str, away: bool) -> Collection:
    """Raises Conflict for one that is looked up in, with who does."""
    collection = collections.get(tx, name, lock=True, away=True)
    users = collections.uses(tx).get(name, [])
    if away and users:
        raise Conflict(
            f"“{name}” is looked up in by {count(len(users), 'prompt')}: {listed(users[:8], 'and')}. Take it "
            "out of their inputs first.",
            field="collection",
        )
    collections.set_away(tx, collection, away)
    return collections.get(tx, name, away=True)
