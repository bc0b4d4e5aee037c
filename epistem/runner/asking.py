"""One cell that is asked: its answer, its judges, and the reading that comes of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from epistem.core.chains.drawn import texts_of_steps
from epistem.core.chains.walked import Walked
from epistem.core.checks.base import Answer, Ground, Spent
from epistem.core.checks.bench import Judged
from epistem.core.engine.answers import Answered
from epistem.core.engine.run import Run
from epistem.core.errors import EpistemError
from epistem.core.trials.grounds import answer_to
from epistem.core.trials.talking import replies_in
from epistem.core.wire.reply import Reply
from epistem.models.driving import Called, Driven, Made
from epistem.runner.arms import ArmAtWork
from epistem.runner.writer import Writer
from epistem.store.calls import TAKE_TIME, NewCall, Paid
from epistem.store.cells import ClaimedCell
from epistem.store.knowledge.found import FoundFor
from epistem.store.readings import CallsSoFar, NewReading, PaidBefore
from epistem.store.walks.readings import WalkTook
from epistem.work.calls import ANSWERING, PERSON, call_of, judging_call, record_of, tool_call
from epistem.work.judging import Judges, People
from epistem.work.walks.kept import walk_took


class Asking:
    """A cell that is asked, with the calls that were made for it."""

    __slots__ = ("at_work", "cell", "driven", "judges", "judging", "kept", "paid", "people")

    def __init__(
        self, cell: ClaimedCell, at_work: ArmAtWork, paid: Sequence[Paid], people: People
    ) -> None:
        self.cell, self.at_work, self.paid, self.people = cell, at_work, paid, people
        self.driven: Driven[Any] | None = None
        self.judging: Driven[list[Judged]] | None = None
        self.judges: Judges | None = None
        self.kept: list[NewCall] = []

    def begin(self) -> Driven[Any]:
        """Its program, which is told again what was paid for before, by another shard or by this one."""
        cell, people = self.cell, self.people.asked
        if self.driven is not None:
            record = self.driven.run.record
        else:
            wires = self.people.wires
            record = record_of(self.at_work.wire, self.paid, wires) if self.paid else {}
        self.driven = Driven(
            Run.resumed(lambda: self.at_work.program(cell.case_at, cell.seed, people), record)
        )
        return self.driven

    def so_far(self, made: Made | Called) -> CallsSoFar:
        """A call after which the program goes on, to be recorded at once, with those of tools that came before."""
        before: list[Made | Called] = []
        if isinstance(made, Made):
            before = [each for each in self.not_kept() if isinstance(each, Called)]
        new = [self._call_of(each) for each in (*before, made)]
        self.kept += new
        return CallsSoFar(self.cell.id, self.cell.arm, new)

    def ended(self, error: str | None) -> NewReading:
        """The reading, with what the checks find."""
        cell, bench = self.cell, self.at_work.bench
        found = self._found() if error is None else []
        ground = self._ground()
        answer = finish = None
        if error is None:
            last = self._answers()[-1].reply
            answer, finish = last.text, last.finish_reason
            findings = bench.judge(self._answer(), ground)
            if self.judging is not None:
                findings += self.judging.result
        else:
            findings = bench.unanswered(ground)
        new = [self._call_of(each) for each in self.not_kept()]
        if self.judging is not None and self.judges is not None:
            there = {each.path for each in self.paid}
            asked = [each for each in self.judging.made if each.need.path not in there]
            new += [judging_call(each, self.judges) for each in asked]
        if not new and error is not None and not (self.kept or self.paid):
            new = [_not_sent(error)]
        before = self._before() if self.kept or self.paid else PaidBefore()
        place = (cell.id, cell.arm, cell.case_at, cell.repeat_no)
        return NewReading(
            *place, answer, finish, error, new, findings, before, found, self._walked()
        )

    def answered(self) -> None:
        """Raises what stands in the way of an answer, now that the program is over."""
        self._answers()

    def _walked(self) -> WalkTook | None:
        """Of a chain: the walk that it took."""
        result = None if self.driven is None else self.driven.run.result
        if not isinstance(result, Walked):
            return None
        assert self.driven is not None
        took = {each.path: each.ms for each in self.paid if each.purpose in TAKE_TIME}
        took |= {each.need.path: each.total_ms for each in self.driven.made}
        took |= {each.need.path: each.result.ms for each in self.driven.called}
        return walk_took(result, took)

    def begin_judging(self, judges: Judges) -> Driven[list[Judged]]:
        """The program by which its judges are asked, now that the answer is there."""
        ground = self._ground()
        program = self.at_work.bench.deliberate(self._answer(), ground, judges.asked)
        self.judges, self.judging = judges, Driven(Run(program))
        return self.judging

    def not_kept(self) -> list[Made | Called]:
        """Calls of the answer that are not recorded yet, in the order in which they were made."""
        if self.driven is None:
            return []
        there = {call.path for call in self.kept}
        made = [each for each in self.driven.made if each.need.path not in there]
        called = [each for each in self.driven.called if each.need.path not in there]
        return sorted([*made, *called], key=lambda each: each.started_at)

    def _call_of(self, made: Made | Called) -> NewCall:
        if isinstance(made, Called):
            return tool_call(made)
        purpose = self.at_work.purpose if self.at_work.is_answering(made.need) else PERSON
        return call_of(made, self.at_work.model, self.people, purpose)

    def _found(self) -> list[FoundFor]:
        """What was looked up for each of its answers."""
        return [
            FoundFor(turn, each)
            for turn, answered in enumerate(self._answers())
            for each in answered.found
        ]

    def _ground(self) -> Ground:
        over = self.driven is not None and self.driven.run.result is not None
        looked = [each.found for each in self._found()] if over and self._is_answered() else []
        return self.at_work.ground(self.cell.case_at, looked)

    def _is_answered(self) -> bool:
        try:
            self._answers()
        except EpistemError:
            return False
        return True

    def _answers(self) -> list[Answered]:
        assert self.driven is not None
        return self.at_work.answers_in(self.driven.result)

    def _answer(self) -> Answer:
        """With what was said before it, and what all its calls took."""
        assert self.driven is not None
        case = self.at_work.case(self.cell.case_at)
        reads, steps = self.at_work.bench.reads, {}
        if "steps" in reads and isinstance(walked := self.driven.result, Walked):
            steps = texts_of_steps([each._asdict() for each in walked.steps])
        if not reads & {"turns", "tools", "spent"}:
            last = self._answers()[-1].reply
            return Answer(last.text, last.finish_reason, steps=steps)
        made = [each for each in self.driven.made if self.at_work.is_answering(each.need)]
        told = [each.usage for each in made]
        before = [each for each in self.paid if each.purpose == ANSWERING]
        again = [
            self.driven.run.record[each.path].given
            for each in before
            if each.path in self.driven.run.record
        ]
        told += [given.usage for given in again if isinstance(given, Reply)]
        spent = Spent(
            sum(each.input_tokens for each in told),
            sum(each.output_tokens for each in told),
            sum(each.total_ms for each in made)
            + sum(each.result.ms for each in self.driven.called)
            + sum(each.ms for each in self.paid if each.purpose in TAKE_TIME),
            sum(self._call_of(each).cents for each in made) + sum(each.cents for each in before),
        )
        record = self.driven.run.record.items()
        replies = replies_in(
            (path, noted.given.text) for path, noted in record if isinstance(noted.given, Reply)
        )
        return replace(answer_to(self._answers(), case, spent, replies), steps=steps)

    def _before(self) -> PaidBefore:
        """Of the calls that were recorded before the reading was over."""
        paid = [each for each in self.paid if each.purpose == ANSWERING]
        kept = [each for each in self.kept if each.purpose == ANSWERING]
        cents = sum(each.cents for each in paid) + sum(each.cents for each in kept)
        ms = sum(p.ms for p in self.paid if p.purpose in TAKE_TIME)
        ms += sum(c.total_ms for c in self.kept if c.purpose in TAKE_TIME)
        tokens = sum(p.output_tokens for p in paid) + sum(c.output_tokens for c in kept)
        return PaidBefore(cents, ms, tokens)


async def keep_call(ask: Asking, writer: Writer, made: Made | Called) -> None:
    await writer.put(ask.so_far(made))


def _not_sent(error: str) -> NewCall:
    """In the place of a call that was never made."""
    now = datetime.now(UTC).replace(tzinfo=None)
    return NewCall("0.1", None, None, None, now, 0.0, attempts=0, error=error)
