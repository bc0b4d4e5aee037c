"""Readings: one recorded answer with what each check found, and the calls that it took."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, NamedTuple

from epistem.core.checks.base import Finding
from epistem.core.checks.bench import Judged
from epistem.core.errors import NotFound
from epistem.core.trials.marks import Mark, scores_of, verdicts_of
from epistem.store import calls, marks, models
from epistem.store.calls import MAX_BODY_BYTES, MAX_ERROR, Call, NewCall, clean
from epistem.store.database import Database, Transaction
from epistem.store.documents import hexed, packed
from epistem.store.finding_rows import finding_row, findings_in
from epistem.store.knowledge import found as found_rows
from epistem.store.knowledge.found import FoundFor
from epistem.store.pairs import Pairing, Side, complete, found_now
from epistem.store.walks import readings as walks_of_readings
from epistem.store.walks.readings import WalkTook

MAX_FINDINGS_BYTES = 4_000_000


class PaidBefore(NamedTuple):
    """Of the calls of an answer that were recorded before its reading: cents, ms, and tokens of replies."""

    cents: float = 0.0
    ms: float = 0.0
    tokens: int = 0


class NewReading(NamedTuple):
    """What came of one cell. `error` is None when there is an answer. `calls` are those that were not
    recorded before; `paid_before` is what those were, judges apart."""

    cell_id: int
    arm: int
    case_at: int
    repeat_no: int
    answer: str | None
    finish_reason: str | None
    error: str | None
    calls: Sequence[NewCall] = ()
    findings: Sequence[Judged] = ()
    paid_before: PaidBefore = PaidBefore()
    found: Sequence[FoundFor] = ()
    walk: WalkTook | None = None
    """Of a chain."""

    @property
    def cents(self) -> float:
        """What the answer cost, without its judges."""
        return self.paid_before.cents + sum(call.cents for call in self._answering)

    @property
    def ms(self) -> float:
        """With what its tools took."""
        return self.paid_before.ms + sum(
            call.total_ms for call in self.calls if call.purpose in calls.TAKE_TIME
        )

    @property
    def answered_tokens(self) -> int:
        told = sum(calls.bounded(call.output_tokens) for call in self._answering)
        return self.paid_before.tokens + told

    @property
    def _answering(self) -> Iterator[NewCall]:
        return (call for call in self.calls if call.purpose == "answer")


class CallsSoFar(NamedTuple):
    """Calls of a cell whose reading is not over: recorded, so that they are never made again."""

    cell_id: int
    arm: int
    calls: Sequence[NewCall]


@dataclass(frozen=True)
class Reading:
    """`id` is the cell's. `calls` are all that were made for it, in order; tokens, money and time are
    those of the answer, without its judges."""

    id: int
    trial_id: int
    arm: int
    case_at: int
    repeat_no: int
    answer: str | None
    finish_reason: str | None
    error: str | None
    findings: list[Judged]
    calls: list[Call] = field(default_factory=list)
    found: list[FoundFor] = field(default_factory=list)
    """What was looked up for it."""

    @property
    def request(self) -> dict[str, Any]:
        """The first request, as JSON."""
        told: dict[str, Any] = json.loads(self.calls[0].request) if self.calls else {}
        return told

    @property
    def reply(self) -> str | None:
        last = self._answering[-1].reply if self._answering else None
        return None if last is None else last.decode("utf-8", "replace")

    @property
    def started_at(self) -> datetime | None:
        return self.calls[0].started_at if self.calls else None

    @property
    def input_tokens(self) -> int:
        return sum(call.input_tokens for call in self._answering)

    @property
    def output_tokens(self) -> int:
        return sum(call.output_tokens for call in self._answering)

    @property
    def estimated(self) -> bool:
        return any(call.estimated for call in self._answering)

    @property
    def _answering(self) -> list[Call]:
        return [call for call in self.calls if call.purpose == "answer"]

    @property
    def cents(self) -> float:
        return sum(call.cents for call in self._answering)

    @property
    def attempts(self) -> int:
        return sum(call.attempts for call in self._answering)

    @property
    def total_ms(self) -> float:
        return sum(call.total_ms for call in self.calls if call.purpose in calls.TAKE_TIME)


class Batch(NamedTuple):
    """What is recorded in one go. `verdicts` is how many a mark of the trial has, `scored` are the
    measures that tell a score; `entries[arm]` is the model that an arm asks, `body_ids` are those of every
    body in it. `pairing` is there where cases of the trial are paired."""

    trial_id: int
    owner: str
    verdicts: int
    entries: Sequence[int | None]
    body_ids: Mapping[bytes, int]
    readings: Sequence[NewReading]
    so_far: Sequence[CallsSoFar] = ()
    scored: Sequence[int] = ()
    pairing: Pairing | None = None


class _NotAllOwned(Exception):
    """Some cell of a batch was given to somebody else, or is recorded already."""


def record(database: Database, batch: Batch) -> tuple[int, str]:
    """Record what `owner` still owns of the batch; (how many readings, the trial's status).

    The trial's row is locked first, so readings of one trial get their landing numbers in the order
    in which they are committed, and a reader that asks for what landed after the last one it saw
    misses none. A cell that is recorded already, or was given to somebody else, is left out: no
    answer is kept twice even when a commit's own answer was lost.
    """
    try:
        with database.transaction() as tx:
            return _record(tx, batch)
    except _NotAllOwned:
        with database.transaction() as tx:
            _lock(tx, batch)
            owned = _owned(tx, batch)
            mine = batch._replace(
                readings=[reading for reading in batch.readings if reading.cell_id in owned],
                so_far=_not_yet(tx, [each for each in batch.so_far if each.cell_id in owned]),
            )
            return _record(tx, mine)


def _lock(tx: Transaction, batch: Batch) -> tuple[int, str, bool]:
    """The trial's last landing number and its status, and whether this batch is all that is left."""
    row = tx.first(
        "SELECT landed, status, recorded + %s = total FROM trials WHERE id = %s FOR UPDATE",
        (len(batch.readings), batch.trial_id),
    )
    assert row is not None, "a trial is not removed while it is asked"
    return int(row[0]), str(row[1]), bool(row[2])


def _record(tx: Transaction, batch: Batch) -> tuple[int, str]:
    landed, status, is_last = _lock(tx, batch)
    kept, partly = batch.readings, batch.so_far
    if partly:
        owned = _owned(tx, batch._replace(readings=()))
        if len(owned) < len({each.cell_id for each in partly}):
            raise _NotAllOwned
        partly = _not_yet(tx, list(partly))
    if kept:
        told = ",".join([f"{reading.cell_id:d}" for reading in kept])
        changed = tx.run(
            "UPDATE cells SET state = 'recorded', owner = NULL "
            f"WHERE id IN ({told}) AND owner = %s AND state = 'claimed'",
            [batch.owner],
        )
        if changed < len(kept):
            raise _NotAllOwned
    if kept or partly:
        both: list[NewReading | CallsSoFar] = [*partly, *kept]
        made = [
            (each.cell_id, None if c.purpose == "tool" else batch.entries[each.arm], c)
            for each in both
            for c in each.calls
        ]
        calls.insert(tx, "cell", made, batch.body_ids)
        _add_to_sums(tx, batch.trial_id, kept, partly)
    if kept:
        again = 0
        if batch.pairing is not None:
            now, late = found_now(tx, batch.trial_id, batch.pairing, [_side(r) for r in kept])
            kept = [r._replace(findings=[*r.findings, *now.get(r.cell_id, ())]) for r in kept]
            complete(tx, batch.trial_id, late, landed + len(kept))
            again = len(late)
        _insert(tx, batch.trial_id, kept)
        found_rows.insert(tx, [(r.cell_id, each) for r in kept for each in r.found])
        took = [(r.cell_id, batch.trial_id, r.arm, r.walk) for r in kept if r.walk is not None]
        walks_of_readings.insert(tx, took)
        numbered = enumerate(kept, landed + 1)
        marks.insert(tx, batch.trial_id, [_mark(r, n, batch) for n, r in numbered])
        status = "finished" if is_last else status
        tx.run(
            """
            UPDATE trials
               SET recorded = recorded + %s, landed = landed + %s, unanswered = unanswered + %s,
                   finished_at = IF(%s, NOW(3), finished_at), status = %s, attempts = 0
             WHERE id = %s
            """,
            (
                len(kept), len(kept) + again, sum(r.error is not None for r in kept),
                is_last, status, batch.trial_id,
            ),
        )  # fmt: skip
        if is_last:
            models.heard_in(tx, batch.trial_id)
    return len(kept), status


def _owned(tx: Transaction, batch: Batch) -> set[int]:
    """Which of the batch's cells are still its owner's; their rows are locked."""
    ids = {r.cell_id for r in batch.readings} | {each.cell_id for each in batch.so_far}
    told = ", ".join(["%s"] * len(ids))
    return {
        int(cell_id)
        for (cell_id,) in tx.rows(
            f"SELECT id FROM cells WHERE id IN ({told}) AND owner = %s AND state = 'claimed' FOR UPDATE",
            (*ids, batch.owner),
        )
    }


def _not_yet(tx: Transaction, so_far: Sequence[CallsSoFar]) -> list[CallsSoFar]:
    """Without calls that are recorded already, as by a commit whose own answer was lost."""
    there = calls.paths_paid(tx, {each.cell_id for each in so_far})
    return [
        each._replace(calls=[c for c in each.calls if (each.cell_id, c.path) not in there])
        for each in so_far
    ]


def _insert(tx: Transaction, trial_id: int, kept: Sequence[NewReading]) -> None:
    """One statement, without anything to escape: what is done value by value keeps the interpreter
    from the event loop beside it. Findings go in one column."""
    rows = []
    for reading in kept:
        cell_id, *texts = _row(reading)
        rows.append(f"({cell_id:d},{trial_id:d},{','.join(map(hexed, texts))})")
    columns = "cell_id, trial_id, answer, finish_reason, findings, error"
    tx.run(f"INSERT INTO readings ({columns}) VALUES {','.join(rows)}")


def _row(
    r: NewReading,
) -> tuple[int, bytes | None, bytes | None, bytes | None, bytes | None]:
    """What came from outside is cut, cleaned and bounded here, before it reaches SQL."""
    findings = [finding_row(*judged) for judged in r.findings]
    told = packed(findings) if findings else None
    if told is not None and len(told) > MAX_FINDINGS_BYTES:
        told = packed([[*found[:3], [], *found[4:6]] for found in findings])
    return (
        r.cell_id,
        None if r.answer is None else clean(r.answer)[:MAX_BODY_BYTES],
        None if r.finish_reason is None else clean(r.finish_reason[:40]),
        told,
        None if r.error is None else clean(r.error[:MAX_ERROR]),
    )


def _mark(r: NewReading, landed: int, batch: Batch) -> Mark:
    told = verdicts_of(batch.verdicts, [(measure, found.passed) for measure, found in r.findings])
    scores = scores_of(batch.scored, [(measure, found.score) for measure, found in r.findings])
    place = (r.arm, r.case_at, r.repeat_no)
    return Mark(*place, landed, r.error is None, r.cents, r.ms, told, scores)


def _side(r: NewReading) -> Side:
    answer = r.answer if r.error is None else None
    return Side(r.cell_id, r.arm, r.case_at, r.repeat_no, answer, r.finish_reason)


def _add_to_sums(
    tx: Transaction, trial_id: int, kept: Sequence[NewReading], partly: Sequence[CallsSoFar]
) -> None:
    sums: dict[int, list[float]] = {}
    both: list[NewReading | CallsSoFar] = [*partly, *kept]
    for each in both:
        of_arm = sums.setdefault(each.arm, [0] * 8)
        for call in each.calls:
            tokens = (calls.bounded(call.input_tokens), calls.bounded(call.output_tokens))
            asked = call.purpose != "tool"  # calls are those of models
            # What was answered as before is worth as much to its reading, but nothing was paid for it.
            paid = call.cents if call.attempts else 0.0
            for at, value in enumerate((asked, *tokens, paid, call.estimated)):
                of_arm[at] += value
    for reading in kept:
        if reading.error is None:
            of_arm = sums[reading.arm]
            of_arm[5] += 1
            of_arm[6] += reading.ms
            of_arm[7] += reading.answered_tokens
    names = ("calls", "input_tokens", "output_tokens", "cents", "estimated", "answered", "answered_ms",
             "answered_tokens")  # fmt: skip
    tx.run_many(
        f"INSERT INTO arm_sums (trial_id, arm, {', '.join(names)}) "
        f"VALUES (%s, %s, {', '.join(['%s'] * len(names))}) ON DUPLICATE KEY UPDATE "
        + ", ".join(f"{name} = {name} + VALUES({name})" for name in names),
        [(trial_id, arm, *values) for arm, values in sums.items()],
    )


def unrecordable(reading: NewReading, why: str) -> NewReading:
    """In the place of a reading that the database refused: no answer came, and this is why."""
    return reading._replace(
        answer=None,
        finish_reason=None,
        error=f"An answer came, but could not be recorded: {why}"[:MAX_ERROR],
        calls=[
            call._replace(body=None, seed=None, reply=None, error=why[:200])
            for call in reading.calls
        ],
        findings=[
            judged._replace(finding=Finding("", False, why[:200])) for judged in reading.findings
        ],
    )


_SELECT = """
SELECT c.id, c.trial_id, c.arm, c.case_at, c.repeat_no, r.answer, r.finish_reason, r.error, r.findings
  FROM cells c JOIN readings r ON r.cell_id = c.id
"""


def at(tx: Transaction, trial_id: int, arm: int, case_at: int) -> list[Reading]:
    """The repeats of one arm on one case that are recorded, in order."""
    return _with_calls(
        tx,
        tx.rows(
            f"{_SELECT} WHERE c.trial_id = %s AND c.arm = %s AND c.case_at = %s ORDER BY c.repeat_no",
            (trial_id, arm, case_at),
        ),
    )


class Answered(NamedTuple):
    """An answer without its calls; `findings` as they were recorded."""

    id: int
    arm: int
    case_at: int
    repeat_no: int
    text: str
    finish_reason: str
    findings: list[Judged]


def answers_of(tx: Transaction, trial_id: int, after: int, most: int) -> list[Answered]:
    """Answers that came, in the order of their ids, those after the id `after`: for judging them anew."""
    rows = tx.rows(
        f"{_SELECT} WHERE c.trial_id = %s AND c.id > %s AND r.error IS NULL ORDER BY c.id LIMIT %s",
        (trial_id, after, most),
    )
    return [
        Answered(
            found.id, found.arm, found.case_at, found.repeat_no,
            found.answer or "", found.finish_reason or "stop", found.findings,
        )
        for found in (_from_row(row, []) for row in rows)
    ]  # fmt: skip


def get(tx: Transaction, reading_id: int) -> Reading:
    found = _with_calls(tx, tx.rows(f"{_SELECT} WHERE c.id = %s", [reading_id]))
    if not found:
        raise NotFound(f"There is no reading {reading_id}.", field="reading")
    return found[0]


def _with_calls(tx: Transaction, rows: Sequence[tuple[Any, ...]]) -> list[Reading]:
    """Of one trial. Where it judges the answers of another, theirs stand before its own."""
    ids = [row[0] for row in rows]
    made = calls.of(tx, "cell", ids)
    source = tx.first("SELECT answers_of FROM trials WHERE id = %s", [rows[0][1]]) if rows else None
    if source is not None and source[0] is not None:
        for cell_id, then in calls.in_place_of(tx, source[0], ids).items():
            made[cell_id] = [*then, *made[cell_id]]
    looked = found_rows.of_cells(tx, ids)
    return [_from_row(row, made[row[0]], looked.get(row[0], [])) for row in rows]


def _from_row(row: tuple[Any, ...], made: list[Call], looked: Sequence[FoundFor] = ()) -> Reading:
    findings = findings_in(row[8])
    answer = None if row[5] is None else row[5].decode("utf-8", "replace")
    return Reading(*(*row[:5], answer, *row[6:8], findings, made, list(looked)))
