"""What a case is paired with, and what variations would make of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from epistem.core.cases.pair import VARIATIONS, Variation
from epistem.core.cases.varied.vary import varied
from epistem.core.errors import NotFound
from epistem.store import cases, drafts
from epistem.store.cases import KeptCase
from epistem.store.database import Transaction
from epistem.store.subjects import Subject


@dataclass(frozen=True)
class Pairs:
    """`original` is None for a case that is paired with no other. `variations` are those whose rule finds
    something to change, each with the inputs that it changes."""

    original: KeptCase | None
    paired: list[KeptCase]
    variations: list[tuple[Variation, dict[str, Any]]]


def pairs_of(tx: Transaction, subject: Subject, number: int) -> Pairs:
    kept = cases.get(tx, subject, number)
    original = None
    if kept.content.pair is not None:
        try:
            original = cases.get(tx, subject, kept.content.pair.of)
        except NotFound:
            original = None
    inputs = drafts.get(tx, subject).content.inputs
    found = []
    for kind in VARIATIONS:
        told = varied(kept.content, number, kind, inputs)
        if told is not None:
            before = kept.content.inputs
            changed = {name: now for name, now in told.inputs.items() if before[name] != now}
            found.append((kind, changed))
    return Pairs(original, cases.paired_with(tx, subject, number), found)
