"""The cases of a trial, as they were when it was made."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from epistem.core.cases.content import Case
from epistem.store.database import Transaction


@dataclass(frozen=True)
class TrialCase:
    position: int
    number: int
    content: Case


def cases_of(
    tx: Transaction, trial_id: int, only: Collection[int] | None = None
) -> list[TrialCase]:
    """The cases as they were when the trial was made, or those at `only` these positions."""
    if only is not None and not only:
        return []
    marks = "" if only is None else f" AND position IN ({', '.join(['%s'] * len(only))})"
    rows = tx.rows(
        f"SELECT position, number, content FROM trial_cases WHERE trial_id = %s{marks} ORDER BY position",
        (trial_id, *(only or ())),
    )
    return [TrialCase(p, n, Case.from_json(json.loads(content))) for p, n, content in rows]


def originals_of(
    tx: Transaction, trial_id: int, cases: int, only: int | None = None
) -> dict[int, int]:
    """By the position of each paired case, or of the one at `only`, that of its original, where that is
    asked, too. The first `cases` are no variations."""
    rows = tx.rows(
        "SELECT p.position, o.position FROM trial_cases p JOIN trial_cases o ON o.trial_id = p.trial_id "
        "AND o.number = JSON_VALUE(p.content, '$.pair.of') AND o.position < %s "
        "WHERE p.trial_id = %s AND p.position <> o.position AND (%s IS NULL OR p.position = %s)",
        (cases, trial_id, only, only),
    )
    return {int(paired): int(original) for paired, original in rows}


def cases_by_tag(tx: Transaction, trial_id: int) -> dict[str, list[int]]:
    """The positions of the trial's cases by tag, as the cases were when it was made."""
    found: dict[str, list[int]] = {}
    for position, tags in tx.rows(
        "SELECT position, JSON_EXTRACT(content, '$.tags') FROM trial_cases "
        "WHERE trial_id = %s ORDER BY position",
        [trial_id],
    ):
        for tag in json.loads(tags or "[]"):
            found.setdefault(tag, []).append(int(position))
    return found


def took_all(tx: Transaction, trial_id: int, numbers: Sequence[int], alone: str = "") -> bool:
    """Whether it asked every case that is kept, but for those that came after its last. Those of a step of a chain are
    of a kind of their own, by the step."""
    left_out = tx.first(
        """
        SELECT c.number FROM cases c
          LEFT JOIN trial_cases t ON t.trial_id = %s AND t.number = c.number
         WHERE c.subject_id = (SELECT subject_id FROM trials WHERE id = %s) AND c.deleted_at IS NULL
           AND c.number < %s AND t.number IS NULL
           AND COALESCE(JSON_VALUE(c.content, '$.step'), '') = %s LIMIT 1
        """,
        (trial_id, trial_id, max(numbers, default=0), alone),
    )
    return left_out is None
