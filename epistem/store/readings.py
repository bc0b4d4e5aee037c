"""Readings: one recorded answer with its exact request, its findings, and queries over them."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from math import isfinite
from typing import Any, NamedTuple

import numpy as np

from epistem.core.checks.base import Finding, Span
from epistem.core.errors import NotFound
from epistem.core.evidence.sentence import Effort
from epistem.core.evidence.verdict import Tally
from epistem.core.trials.judging import Judged
from epistem.store.database import Transaction
from epistem.store.documents import packed

MAX_MESSAGE = 4_000
MAX_SPANS = 200
MAX_ERROR = 2_000
MAX_BODY_BYTES = 15_000_000
"""Of a request or a reply: what a column takes, with room for the statement around it."""
MAX_FINDINGS_BYTES = 4_000_000
MOST = 2**31 - 1


class NewReading(NamedTuple):
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
    """One mark of the matrix. `answered` is False for a hollow dot. `judged` and `failed` have bit k
    set when measure k has a finding, and when that failed."""

    reading_id: int
    arm: int
    case_at: int
    repeat_no: int
    answered: bool
    judged: int
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
                   status = IF(recorded = total, 'finished', status),
                   attempts = 0
             WHERE id = %s
            """,
            (len(kept), sum(r.error is not None for r in kept), trial_id),
        )
    status = tx.first("SELECT status FROM trials WHERE id = %s", [trial_id])
    assert status is not None
    return len(kept), str(status[0])


def _insert(tx: Transaction, trial_id: int, kept: Sequence[NewReading]) -> None:
    """One statement. Findings go in one column, and text as bytes, since what is escaped value by
    value keeps the interpreter from the event loop beside it, and escaping str costs thrice."""
    tx.run_many(
        "INSERT INTO readings (cell_id, trial_id, arm, case_at, repeat_no, request, reply, answer, "
        "finish_reason, input_tokens, output_tokens, cents, attempts, started_at, total_ms, judged, "
        "failed, findings, error) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
        [_row(trial_id, reading) for reading in kept],
    )


def _row(trial_id: int, r: NewReading) -> tuple[Any, ...]:
    """What came from outside is cut, cleaned and bounded here, before it reaches SQL."""
    judged = failed = 0
    findings = []
    for measure, finding in r.findings:
        judged |= 1 << measure
        failed |= (not finding.passed) << measure
        spans = [[span.start, span.end, span.note] for span in finding.spans[:MAX_SPANS]]
        findings.append([measure, finding.passed, finding.message[:MAX_MESSAGE], spans])
    told = packed(findings) if findings else None
    if told is not None and len(told) > MAX_FINDINGS_BYTES:
        told = packed([[measure, passed, message, []] for measure, passed, message, _ in findings])
    return (
        r.cell_id, trial_id, r.arm, r.case_at, r.repeat_no, r.request, r.reply and r.reply[:MAX_BODY_BYTES],
        None if r.answer is None else _clean(r.answer)[:MAX_BODY_BYTES],
        r.finish_reason and _clean(r.finish_reason[:40]), _bounded(r.input_tokens),
        _bounded(r.output_tokens), r.cents if isfinite(r.cents) else 0.0, min(r.attempts, 60_000),
        r.started_at.isoformat(" "), r.total_ms, judged, failed, told,
        r.error and _clean(r.error[:MAX_ERROR]),
    )  # fmt: skip


def _clean(text: str) -> bytes:
    """In UTF-8: halves of surrogate pairs become `?`."""
    return text.encode("utf-8", "replace")


def _bounded(tokens: int) -> int:
    return max(0, min(tokens, MOST))


def unrecordable(reading: NewReading, why: str) -> NewReading:
    """In the place of a reading that the database refused: no answer came, and this is why."""
    return reading._replace(
        request=b"{}",
        reply=None,
        answer=None,
        finish_reason=None,
        error=f"An answer came, but could not be recorded: {why}"[:MAX_ERROR],
        findings=[
            judged._replace(finding=Finding("", False, why[:200])) for judged in reading.findings
        ],
    )


_COLUMNS = (
    "r.id, r.trial_id, r.arm, r.case_at, r.repeat_no, r.request, r.reply, r.answer, "
    "r.finish_reason, r.input_tokens, r.output_tokens, r.cents, r.attempts, r.started_at, "
    "r.total_ms, r.error, r.findings"
)


def at(tx: Transaction, trial_id: int, arm: int, case_at: int) -> list[Reading]:
    """The repeats of one arm on one case that are recorded, in order."""
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM cells c JOIN readings r ON r.cell_id = c.id "
        "WHERE c.trial_id = %s AND c.arm = %s AND c.case_at = %s ORDER BY c.repeat_no",
        (trial_id, arm, case_at),
    )
    return [_from_row(row) for row in rows]


def get(tx: Transaction, reading_id: int) -> Reading:
    row = tx.first(f"SELECT {_COLUMNS} FROM readings r WHERE r.id = %s", [reading_id])
    if row is None:
        raise NotFound(f"There is no reading {reading_id}.", field="reading")
    return _from_row(row)


def ticks(tx: Transaction, trial_id: int, *, after: int = 0, most: int = 20_000) -> list[Tick]:
    """The marks that landed after reading `after`, in the order of their landing."""
    rows = tx.rows(
        "SELECT id, arm, case_at, repeat_no, error IS NULL, judged, failed FROM readings "
        "WHERE trial_id = %s AND id > %s ORDER BY id LIMIT %s",
        (trial_id, after, most),
    )
    return [
        Tick(reading_id, arm, case_at, repeat_no, *((True, *bits) if answered else (False, 0, 0)))
        for reading_id, arm, case_at, repeat_no, answered, *bits in rows
    ]


def tally(tx: Transaction, trial_id: int, arms: int, measures: int, cases: int) -> Tally:
    """How many answers each arm had judged, passed and missing, a measure and a case."""
    passed = np.zeros((arms, measures, cases), dtype=np.int64)
    total, missing = np.zeros_like(passed), np.zeros_like(passed)
    rows = tx.rows(
        "SELECT arm, case_at, judged, failed, error IS NULL FROM readings WHERE trial_id = %s",
        [trial_id],
    )
    if not rows:
        return Tally(passed, total, missing)
    arm, case, judged, failed, answered = np.array(rows, dtype=np.uint64).T
    place, came = (arm.astype(np.int64), case.astype(np.int64)), answered > 0
    for measure in range(measures):
        bit = np.uint64(1 << measure)
        has = (judged & bit) > 0
        np.add.at(total[:, measure], place, has & came)
        np.add.at(passed[:, measure], place, has & came & ((failed & bit) == 0))
        # Trials made before it was noted what a missing answer was asked for: as its case was.
        asked = has | ((judged == 0) & (total[:, measure].sum(axis=0) > 0)[place[1]])
        np.add.at(missing[:, measure], place, asked & ~came)
    return Tally(passed, total, missing)


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


def _from_row(row: tuple[Any, ...]) -> Reading:
    findings = [
        Judged(measure, Finding("", passed, message, tuple(Span(*span) for span in spans)))
        for measure, passed, message, spans in json.loads(row[16] or "[]")
    ]
    request, reply, answer = row[5:8]
    texts = (
        json.loads(request),
        None if reply is None else reply.decode("utf-8", "replace"),
        None if answer is None else answer.decode("utf-8", "replace"),
    )
    return Reading(*(*row[:5], *texts, *row[8:16], findings))
