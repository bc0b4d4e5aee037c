"""Readings of paired cases: whichever of the two lands last completes the finding."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import NamedTuple, Protocol

from epistem.core.checks.bench import Judged
from epistem.core.trials.marks import with_verdicts
from epistem.store.database import Transaction
from epistem.store.documents import packed
from epistem.store.finding_rows import finding_row


class Side(NamedTuple):
    """A reading that is recorded, at its place; `answer` is None where none came."""

    cell_id: int
    arm: int
    case_at: int
    repeat_no: int
    answer: str | None
    finish_reason: str | None


Place = tuple[int, int, int]
"""Arm, case and repeat."""


class Pairing(Protocol):
    """Which cases of a trial are paired, and what is found of a pair."""

    @property
    def originals(self) -> Mapping[int, int]:
        """By the position of a paired case that of its original."""
        ...

    @property
    def paired_with(self) -> Mapping[int, Sequence[int]]:
        """The other way round."""
        ...

    def judge(self, tx: Transaction, side: Side, original: str | None) -> list[Judged]:
        """What is found of an answer to a paired case, against that to its original."""
        ...


class Late(NamedTuple):
    """What is found of a reading that was recorded before its original."""

    side: Side
    found: list[Judged]


def found_now(
    tx: Transaction, trial_id: int, pairing: Pairing, landing: Sequence[Side]
) -> tuple[dict[int, list[Judged]], list[Late]]:
    """What is found now that these land: by the cells of those that are paired, and of readings that are
    recorded already. The trial's row is locked, so of a pair that lands at the same time in two shards
    the second sees the first."""
    there = {side[1:4]: side for side in landing}
    wanted: set[Place] = set()
    for side in landing:
        original = pairing.originals.get(side.case_at)
        others = [*pairing.paired_with.get(side.case_at, ())]
        others += [] if original is None else [original]
        wanted |= {(side.arm, at, side.repeat_no) for at in others}
    recorded = _at(tx, trial_id, wanted - there.keys())
    known = there | recorded
    now: dict[int, list[Judged]] = {}
    late: list[Late] = []
    for side in landing:
        of = pairing.originals.get(side.case_at)
        before = None if of is None else known.get((side.arm, of, side.repeat_no))
        if before is not None and side.answer is not None:
            now[side.cell_id] = pairing.judge(tx, side, before.answer)
        for at in pairing.paired_with.get(side.case_at, ()):
            other = recorded.get((side.arm, at, side.repeat_no))
            if other is not None and other.answer is not None:
                late.append(Late(other, pairing.judge(tx, other, side.answer)))
    return now, late


def complete(tx: Transaction, trial_id: int, late: Sequence[Late], landed: int) -> None:
    """Add to readings and marks that are recorded; the marks land once more, after that number."""
    for number, (side, found) in enumerate(late, landed + 1):
        row = tx.first("SELECT findings FROM readings WHERE cell_id = %s", [side.cell_id])
        measures = {judged.measure for judged in found}
        kept = [each for each in json.loads((row and row[0]) or "[]") if each[0] not in measures]
        kept += [finding_row(*judged) for judged in found]
        tx.run("UPDATE readings SET findings = %s WHERE cell_id = %s", (packed(kept), side.cell_id))
        place = (trial_id, side.arm, side.case_at, side.repeat_no)
        where = "WHERE trial_id = %s AND arm = %s AND case_at = %s AND repeat_no = %s"
        mark = tx.first(f"SELECT packed FROM marks {where}", place)
        assert mark is not None, "what is recorded has a mark"
        told = with_verdicts(mark[0], number, [(j.measure, j.finding.passed) for j in found])
        tx.run(f"UPDATE marks SET packed = %s, landed = %s {where}", (told, number, *place))


def _at(tx: Transaction, trial_id: int, places: set[Place]) -> dict[Place, Side]:
    if not places:
        return {}
    told = ", ".join(f"({arm:d}, {case:d}, {repeat:d})" for arm, case, repeat in places)
    rows = tx.rows(
        "SELECT c.id, c.arm, c.case_at, c.repeat_no, r.answer, r.finish_reason, r.error FROM cells c "
        "JOIN readings r ON r.cell_id = c.id WHERE c.trial_id = %s "
        f"AND (c.arm, c.case_at, c.repeat_no) IN ({told})",
        [trial_id],
    )
    return {
        (arm, case, repeat): Side(
            cell_id,
            arm,
            case,
            repeat,
            None if error is not None or answer is None else answer.decode("utf-8", "replace"),
            finish,
        )
        for cell_id, arm, case, repeat, answer, finish, error in rows
    }
