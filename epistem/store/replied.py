"""What models replied in a trial, by what exactly they were asked."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from epistem.core.wire.reply import Usage
from epistem.store.database import Transaction

Place = tuple[int, int]
"""The place of a case in a trial, and the repeat."""


class Replied(NamedTuple):
    hash: bytes
    seed: int
    entry_id: int
    reply: bytes
    usage: Usage
    ms: float


def at(tx: Transaction, trial_id: int, places: Collection[Place], longest: int) -> list[Replied]:
    """In answers to these cases and repeats, of all arms; replies of more than `longest` bytes are left out."""
    if not places:
        return []
    cases, repeats = ({place[n] for place in places} for n in (0, 1))
    rows = tx.rows(
        "SELECT c.case_at, c.repeat_no, b.hash, k.seed, k.entry_id, k.reply, k.input_tokens, "
        "k.output_tokens, k.reasoning_tokens, k.estimated, k.total_ms "
        "FROM cells c JOIN calls k ON k.cell_id = c.id JOIN bodies b ON b.id = k.body_id "
        "WHERE c.trial_id = %s AND c.arm IN (SELECT position FROM arms WHERE trial_id = %s) "
        f"AND c.case_at IN ({_marks(cases)}) AND c.repeat_no IN ({_marks(repeats)}) "
        "AND k.purpose = 'answer' AND k.error IS NULL AND k.seed IS NOT NULL "
        "AND k.entry_id IS NOT NULL AND LENGTH(k.reply) <= %s ORDER BY k.id DESC",
        (trial_id, trial_id, *cases, *repeats, longest),
    )
    wanted = set(places)
    return [
        Replied(bytes(digest), seed, entry, reply, Usage(sent, came, thought, not estimated), ms)
        for case, repeat, digest, seed, entry, reply, sent, came, thought, estimated, ms in rows
        if (case, repeat) in wanted
    ]


def places_of(tx: Transaction, trial_id: int, numbered: Collection[Place]) -> set[Place]:
    """Where that trial asked cases of these numbers, in these repeats; a variation stands under its case's number."""
    if not numbered:
        return set()
    numbers = {number for number, _ in numbered}
    rows = tx.rows(
        f"SELECT number, position FROM trial_cases WHERE trial_id = %s AND number IN ({_marks(numbers)})",
        (trial_id, *numbers),
    )
    where: dict[int, list[int]] = {}
    for number, position in rows:
        where.setdefault(number, []).append(position)
    return {(at, repeat) for number, repeat in numbered for at in where.get(number, ())}


def seeds_of(tx: Transaction, trial_id: int, arm: int, cases: int) -> dict[Place, int]:
    """Those of an arm, by the number of the case and the repeat; of the first `cases`, which are no variations."""
    rows = tx.rows(
        "SELECT m.number, c.repeat_no, c.seed FROM cells c "
        "JOIN trial_cases m ON m.trial_id = c.trial_id AND m.position = c.case_at "
        "WHERE c.trial_id = %s AND c.arm = %s AND c.case_at < %s",
        (trial_id, arm, cases),
    )
    return {(int(number), int(repeat)): int(seed) for number, repeat, seed in rows}


def _marks(values: Collection[int]) -> str:
    return ", ".join(["%s"] * len(values))
