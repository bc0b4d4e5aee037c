"""A cell whose answer was recorded by another trial: it is judged, and no model asked but its judges."""

from __future__ import annotations

from collections.abc import Sequence
from threading import Lock

from epistem.core.checks.base import Finding
from epistem.core.checks.bench import Judged
from epistem.core.engine.run import Run
from epistem.models.client import ModelClient
from epistem.models.driving import Driven, Reach, carry_out
from epistem.runner.arms import ArmAtWork
from epistem.store import past
from epistem.store.cells import ClaimedCell
from epistem.store.database import Database
from epistem.store.past import NOT_THERE, Past
from epistem.store.readings import NewReading
from epistem.work.calls import judging_call
from epistem.work.judging import Judges
from epistem.work.rejudging import as_answered

A_PAGE = 16


class PastAnswers:
    """Those of a shard's cells, fetched a page at a time in the order of the cells."""

    def __init__(
        self, database: Database, source_id: int, cells: Sequence[ClaimedCell], *, with_calls: bool
    ) -> None:
        self._database, self._source_id, self._with_calls = database, source_id, with_calls
        self._order = [cell.id for cell in cells]
        self._place = {cell_id: at for at, cell_id in enumerate(self._order)}
        self._there: dict[int, Past] = {}
        self._taken: set[int] = set()
        self._lock = Lock()

    def take(self, cell: ClaimedCell) -> Past:
        """Blocks while it is fetched. Given once: it is forgotten then."""
        with self._lock:
            if cell.id not in self._there:
                self._fetch(cell)
            self._taken.add(cell.id)
            return self._there.pop(cell.id, NOT_THERE)

    def _fetch(self, cell: ClaimedCell) -> None:
        at = self._place.get(cell.id)
        page = [cell.id] if at is None else self._order[at : at + A_PAGE]
        wanted = [each for each in page if each not in self._taken and each not in self._there]
        with self._database.transaction() as tx:
            self._there |= past.of_cells(tx, self._source_id, wanted, with_calls=self._with_calls)


async def judged_anew(
    cell: ClaimedCell,
    then: Past,
    at_work: ArmAtWork,
    judges: Judges,
    client: ModelClient,
    reach: Reach,
) -> NewReading:
    """The reading that was recorded, with what the checks of this trial find."""
    looked = [each.found for each in then.found]
    ground, bench = at_work.ground(cell.case_at, looked), at_work.bench
    recorded = _recorded(cell, then)
    if then.answer is None or then.error is not None:
        return recorded._replace(findings=bench.unanswered(ground))
    case, finish = at_work.case(cell.case_at), then.finish_reason or "stop"
    answer = as_answered(then.answer, finish, at_work.arm, case, then.calls, then.walk)
    findings = bench.judge(answer, ground)
    if not bench.deliberates:
        return recorded._replace(findings=findings)
    judging = Driven(Run(bench.deliberate(answer, ground, judges.asked)))
    await carry_out(client, at_work.endpoint, judging, aside=judges, reach=reach)
    made = [judging_call(each, judges) for each in judging.made]
    return recorded._replace(calls=made, findings=[*findings, *judging.result])


def not_judged(cell: ClaimedCell, then: Past, at_work: ArmAtWork, error: Exception) -> NewReading:
    """The reading as it was recorded, of which no check can tell anything."""
    why = f"Something in Epistem failed on this answer: {type(error).__name__}: {error}"[:400]
    untold = [Judged(measure, Finding("", None, why)) for measure in range(at_work.bench.size)]
    return _recorded(cell, then)._replace(findings=untold)


def _recorded(cell: ClaimedCell, then: Past) -> NewReading:
    return NewReading(
        *(cell.id, cell.arm, cell.case_at, cell.repeat_no, then.answer, then.finish_reason),
        error=then.error,
        paid_before=then.paid,
    )
