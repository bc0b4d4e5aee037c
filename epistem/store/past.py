"""Answers that a trial has recorded, for another one that judges them anew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import NamedTuple

from epistem.core.checks.measures import Measure
from epistem.core.trials.plan import TrialPlan
from epistem.store import calls
from epistem.store.calls import IN_PLACE, Call
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.knowledge import found
from epistem.store.knowledge.found import FoundFor
from epistem.store.readings import PaidBefore
from epistem.store.trials import Trial
from epistem.store.walks import readings as walks


class Past(NamedTuple):
    """What came of a cell then; `calls` are there where they were wanted, judges apart, and `paid` is what
    they took. `error` is why no answer came."""

    answer: str | None
    finish_reason: str | None
    error: str | None
    paid: PaidBefore
    calls: Sequence[Call] = ()
    found: Sequence[FoundFor] = ()
    walk: walks.PastWalk = walks.NO_WALK


NOT_THERE = Past(None, None, "Its answer is not there any more.", PaidBefore())


def insert(
    tx: Transaction,
    source: Trial,
    plan: TrialPlan,
    measures: Sequence[Measure],
    judges: Mapping[str, int],
) -> int:
    """A trial of the source's arms and cases as they were, with a cell that waits for each of its
    readings; its id."""
    trial_id = tx.insert(
        "INSERT INTO trials (subject_id, plan, total, measures, started_by, judges, answers_of) "
        "VALUES (%s, %s, 0, %s, %s, %s, %s)",
        (
            source.subject_id,
            dumps(plan.to_json()),
            dumps([asdict(measure) for measure in measures]),
            tx.by,
            dumps(dict(judges)) if judges else None,
            source.id,
        ),
    )
    for table, columns in (
        ("trial_cases", "position, number, content"),
        ("arms", "position, version_id, model, settings, entry_id, aliases, look_ups, step"),
    ):
        tx.run(
            f"INSERT INTO {table} (trial_id, {columns}) SELECT %s, {columns} FROM {table} "
            "WHERE trial_id = %s ORDER BY position",
            (trial_id, source.id),
        )
    copied = tx.run(
        "INSERT INTO cells (trial_id, arm, case_at, repeat_no, seed) "
        "SELECT %s, arm, case_at, repeat_no, seed FROM cells "
        "WHERE trial_id = %s AND state = 'recorded' ORDER BY id",
        (trial_id, source.id),
    )
    tx.run(
        "INSERT INTO found (cell_id, turn, input, looking, question, passages) "
        f"SELECT mine.id, f.turn, f.input, f.looking, f.question, f.passages {IN_PLACE} "
        "JOIN found f ON f.cell_id = c.id WHERE mine.trial_id = %s",
        (source.id, trial_id),
    )
    tx.run("UPDATE trials SET total = %s WHERE id = %s", (copied, trial_id))
    return trial_id


def of_cells(
    tx: Transaction, source_id: int, cell_ids: Sequence[int], *, with_calls: bool
) -> dict[int, Past]:
    """What the source trial has in the places of these cells, by their ids."""
    marks = ", ".join(["%s"] * len(cell_ids))
    rows = tx.rows(
        f"SELECT mine.id, c.id, r.answer, r.finish_reason, r.error {IN_PLACE} "
        f"JOIN readings r ON r.cell_id = c.id WHERE mine.id IN ({marks})",
        (source_id, *cell_ids),
    )
    then = [row[1] for row in rows]
    paid = _paid(tx, then)
    made = calls.in_place_of(tx, source_id, cell_ids) if with_calls else {}
    looked = found.of_cells(tx, cell_ids)
    took = walks.past_of(tx, source_id, cell_ids, with_steps=True) if with_calls else {}
    return {
        mine: Past(
            None if answer is None else answer.decode("utf-8", "replace"),
            finish,
            error,
            paid.get(there, PaidBefore()),
            made.get(mine, []),
            looked.get(mine, []),
            took.get(mine, walks.NO_WALK),
        )
        for mine, there, answer, finish, error in rows
    }


def _paid(tx: Transaction, cell_ids: Sequence[int]) -> dict[int, PaidBefore]:
    if not cell_ids:
        return {}
    marks = ", ".join(["%s"] * len(cell_ids))
    rows = tx.rows(
        "SELECT cell_id, SUM(cents), SUM(total_ms), SUM(output_tokens) FROM calls "
        f"WHERE cell_id IN ({marks}) AND purpose IN ('answer', 'tool') GROUP BY cell_id",
        cell_ids,
    )
    return {
        int(cell_id): PaidBefore(float(cents), float(ms), int(tokens))
        for cell_id, cents, ms, tokens in rows
    }
