"""Readings: one recorded answer with its exact request, its findings, and queries over them."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple

import numpy as np

from epistem.core.checks.base import Finding, Span
from epistem.core.errors import NotFound
from epistem.core.evidence.sentence import Effort
from epistem.core.evidence.verdict import Tally
from epistem.core.trials.judging import Judged
from epistem.store.database import Transaction
from epistem.store.documents import dumps


@dataclass(frozen=True)
class NewReading:
    """What came of one cell. `error` is None when there is an answer. Times are UTC."""

    cell_id: int
    arm: int
    case_at: int
    repeat_no: int
    request: bytes
    reply: bytes | None
    answer: str | None
    finish_reason: str | None
    input_tokens: int
    output_tokens: int
    cents: float
    attempts: int
    started_at: datetime
    total_ms: float
    error: str | None
    findings: Sequence[Judged] = ()

    @property
    def failed(self) -> int:
        return sum(1 << judged.measure for judged in self.findings if not judged.finding.passed)


@dataclass(frozen=True)
class Reading:
    id: int
    trial_id: int
    arm: int
    case_at: int
    repeat_no: int
    request: dict[str, Any]
    reply: str | None
    answer: str | None
    finish_reason: str | None
    input_tokens: int
    output_tokens: int
    cents: float
    attempts: int
    started_at: datetime
    total_ms: float
    error: str | None
    findings: list[Judged]


class Tick(NamedTuple):
    """One mark of the matrix. `answered` is False for a hollow dot; `failed` holds measures' bits."""

    reading_id: int
    arm: int
    case_at: int
    repeat_no: int
    answered: bool
    failed: int


def record(
    tx: Transaction, trial_id: int, owner: str, batch: Sequence[NewReading]
) -> tuple[int, str]:
    """Record what `owner` still owns of the batch; (how many, the trial's status).

    The trial's row is locked first, so readings of one trial get their ids in the order in which
    they are committed, and a reader that asks for ids above the last one it saw misses none. A
    cell that is recorded already, or was given to somebody else, is left out: no answer is kept
    twice even when a commit's own answer was lost.
    """
    tx.first("SELECT id FROM trials WHERE id = %s FOR UPDATE", [trial_id])
    by_cell = {reading.cell_id: reading for reading in batch}
    marks = ", ".join(["%s"] * len(by_cell))
    owned = tx.rows(
        f"SELECT id FROM cells WHERE id IN ({marks}) AND owner = %s AND state = 'claimed' FOR UPDATE",
        (*by_cell, owner),
    )
    kept = [by_cell[cell_id] for (cell_id,) in owned]
    if kept:
        _insert(tx, trial_id, kept)
        marks = ", ".join(["%s"] * len(kept))
        tx.run(
            f"UPDATE cells SET state = 'recorded', owner = NULL WHERE id IN ({marks})",
            [r.cell_id for r in kept],
        )
        # Assignments run left to right, so `recorded` is the new number where it is compared.
        tx.run(
            """
            UPDATE trials
               SET recorded = recorded + %s,
                   unanswered = unanswered + %s,
                   finished_at = IF(recorded = total, NOW(3), finished_at),
                   status = IF(recorded = total, 'finished', status)
             WHERE id = %s
            """,
            (len(kept), sum(r.error is not None for r in kept), trial_id),
        )
    status = tx.first("SELECT status FROM trials WHERE id = %s", [trial_id])
    assert status is not None
    return len(kept), str(status[0])


def _insert(tx: Transaction, trial_id: int, kept: Sequence[NewReading]) -> None:
    # Bytes, not str: escaping str costs PyMySQL three times as much.
    tx.run_many(
        "INSERT INTO readings (cell_id, trial_id, arm, case_at, repeat_no, request, reply, answer, "
        "finish_reason, input_tokens, output_tokens, cents, attempts, started_at, total_ms, failed, "
        "error) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
        [
            (
                r.cell_id, trial_id, r.arm, r.case_at, r.repeat_no, r.request, r.reply,
                None if r.answer is None else r.answer.encode("utf-8", "replace"), r.finish_reason,
                r.input_tokens, r.output_tokens, r.cents, r.attempts, r.started_at, r.total_ms,
                r.failed, r.error,
            )
            for r in kept
        ],
    )  # fmt: skip
    marks = ", ".join(["%s"] * len(kept))
    ids = dict(
        tx.rows(
            f"SELECT cell_id, id FROM readings WHERE cell_id IN ({marks})",
            [r.cell_id for r in kept],
        )
    )
    tx.run_many(
        "INSERT INTO findings (reading_id, measure, trial_id, arm, case_at, passed, message, spans) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s)",
        [
            (
                ids[r.cell_id], j.measure, trial_id, r.arm, r.case_at, j.finding.passed,
                j.finding.message[:4000].encode("utf-8", "replace"), _spans_to_json(j.finding.spans),
            )
            for r in kept
            for j in r.findings
        ],
    )  # fmt: skip


def _spans_to_json(spans: Sequence[Span]) -> bytes | None:
    if not spans:
        return None
    return dumps([[span.start, span.end, span.note] for span in spans[:200]]).encode()


_COLUMNS = (
    "id, trial_id, arm, case_at, repeat_no, request, reply, answer, finish_reason, input_tokens, "
    "output_tokens, cents, attempts, started_at, total_ms, error"
)


def at(tx: Transaction, trial_id: int, arm: int, case_at: int) -> list[Reading]:
    """The repeats of one arm on one case that are recorded, in order."""
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM readings WHERE trial_id = %s AND arm = %s AND case_at = %s "
        "ORDER BY repeat_no",
        (trial_id, arm, case_at),
    )
    return _with_findings(tx, rows)


def get(tx: Transaction, reading_id: int) -> Reading:
    rows = tx.rows(f"SELECT {_COLUMNS} FROM readings WHERE id = %s", [reading_id])
    if not rows:
        raise NotFound(f"There is no reading {reading_id}.", field="reading")
    return _with_findings(tx, rows)[0]


def ticks(tx: Transaction, trial_id: int, *, after: int = 0, most: int = 20_000) -> list[Tick]:
    """The marks that landed after reading `after`, in the order of their landing."""
    rows = tx.rows(
        "SELECT id, arm, case_at, repeat_no, error IS NULL, failed FROM readings "
        "WHERE trial_id = %s AND id > %s ORDER BY id LIMIT %s",
        (trial_id, after, most),
    )
    return [Tick(i, a, c, r, bool(answered), failed) for i, a, c, r, answered, failed in rows]


def tally(tx: Transaction, trial_id: int, arms: int, measures: int, cases: int) -> Tally:
    """How many answers each arm had judged and passed, a measure and a case."""
    passed = np.zeros((arms, measures, cases), dtype=np.int64)
    total = np.zeros_like(passed)
    rows = tx.rows(
        "SELECT arm, measure, case_at, CAST(SUM(passed) AS UNSIGNED), COUNT(*) FROM findings "
        "WHERE trial_id = %s GROUP BY measure, arm, case_at",
        [trial_id],
    )
    for arm, measure, case, good, all_ in rows:
        passed[arm, measure, case] = good
        total[arm, measure, case] = all_
    return Tally(passed, total)


def efforts(tx: Transaction, trial_id: int, arms: int) -> list[Effort]:
    """What each arm's calls cost and took; medians are over answered calls."""
    rows = tx.rows(
        "SELECT arm, cents, total_ms, error IS NULL FROM readings WHERE trial_id = %s", [trial_id]
    )
    found = []
    for arm in range(arms):
        answered = [(cents, ms) for a, cents, ms, good in rows if a == arm and good]
        unanswered = sum(1 for a, _, _, good in rows if a == arm and not good)
        if answered:
            cents, ms = np.array(answered, dtype=float).T
            found.append(
                Effort(float(cents.mean()), float(np.median(ms)), len(answered), unanswered)
            )
        else:
            found.append(Effort(None, None, 0, unanswered))
    return found


def cost_so_far(tx: Transaction, trial_id: int) -> float:
    """Cents."""
    row = tx.first("SELECT COALESCE(SUM(cents), 0) FROM readings WHERE trial_id = %s", [trial_id])
    assert row is not None
    return float(row[0])


def _with_findings(tx: Transaction, rows: list[tuple[Any, ...]]) -> list[Reading]:
    if not rows:
        return []
    marks = ", ".join(["%s"] * len(rows))
    findings: dict[int, list[Judged]] = {}
    for reading_id, measure, passed, message, spans in tx.rows(
        "SELECT reading_id, measure, passed, message, spans FROM findings "
        f"WHERE reading_id IN ({marks}) ORDER BY reading_id, measure",
        [row[0] for row in rows],
    ):
        found = tuple(Span(*span) for span in json.loads(spans or "[]"))
        judged = Judged(measure, Finding("", bool(passed), message, found))
        findings.setdefault(reading_id, []).append(judged)
    return [
        Reading(
            *(
                *row[:5],
                json.loads(row[5]),
                None if row[6] is None else row[6].decode("utf-8", "replace"),
                None if row[7] is None else row[7].decode("utf-8"),
                *row[8:],
                findings.get(row[0], []),
            )
        )
        for row in rows
    ]
