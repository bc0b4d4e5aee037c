"""A program being carried out, and the drivers of it that need no outside."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Generic, NamedTuple

from epistem.core.engine.budget import Later, Ledger, NotBegun, Refused
from epistem.core.engine.needs import (
    LATE,
    REST_DIGEST,
    AskModel,
    Need,
    Note,
    Program,
    Result,
    Take,
    Together,
)
from epistem.core.errors import EpistemError
from epistem.core.wire.reply import Reply
from epistem.core.wire.tokens import usage_of


class Noted(NamedTuple):
    """The digest of a need, and what was given for it."""

    digest: bytes
    given: Any


Record = dict[str, Noted]
"""What was given so far, by path: enough to resume a program, and to replay it."""


class NotInRecord(EpistemError):
    """A replay came to something that the record does not answer: there it departs."""


class Run(Generic[Result]):
    """A program being carried out. `need` is what it waits for; None when it is over, and `result` is
    its result.

    Where `record` has what a need's path and digest ask for, that is given again by itself. It grows
    by all that is given. How something is had is a matter of the driver: `reserve`, then `give` or `fail`.
    What is spent is told to the `ledger`, that of the program which runs this one beside others.
    """

    __slots__ = ("_seen", "ledger", "need", "program", "record", "result")

    def __init__(
        self,
        program: Program[Result],
        record: Record | None = None,
        ledger: Ledger | None = None,
    ) -> None:
        self.program = program
        self.record: Record = {} if record is None else record
        self.ledger = Ledger() if ledger is None else ledger
        self.result: Result | None = None
        self.need: Need | None = None
        self._seen: set[str] = set()
        self._move(program.send, None)

    @classmethod
    def resumed(cls, make: Callable[[], Program[Result]], record: Record) -> Run[Result]:
        """Of a program that can be made anew, so that all which its record answers is charged before anything else
        is: what runs side by side comes by it in another order than before."""
        ledger = Ledger()
        if record:
            _retraced(make(), record, ledger, [])
        return cls(make(), record, ledger)

    def reserve(self) -> Refused | Later | None:
        """Whether what the need costs is there: None where it is, or where it costs nothing."""
        need = self.need
        if isinstance(need, AskModel | Take) and need.charge is not None:
            return self.ledger.reserve(need.path, need.charge)
        return None

    def let_go(self) -> None:
        """The need is given up. What that came to is not known."""
        if self.need is not None:
            self.ledger.settle(self.need.path, None)

    def give(self, given: Any) -> None:
        """What the need asked for. Raises what the program raises."""
        need = self.need
        assert need is not None, "the program is over"
        if isinstance(need, AskModel) and need.charge is not None and isinstance(given, Reply):
            self.ledger.settle(need.path, _cents_of(need, given))
        # What is in others is recorded by itself, and what was taken with what it was taken for.
        taken = isinstance(need, Take) and not isinstance(given, Refused)
        if not isinstance(need, Note | Together) and not taken:
            self.record[need.path] = Noted(need.digest, given)
        self._move(self.program.send, given)

    def fail(self, error: Exception) -> None:
        """It could not be had. The program may go on without; else `error` is raised again."""
        assert self.need is not None, "the program is over"
        self.ledger.settle(self.need.path, 0.0)
        self._move(self.program.throw, error)

    def _move(self, step: Callable[[Any], Need], told: Any) -> None:
        """On to the next need that the record does not answer."""
        while True:
            try:
                need = step(told)
            except StopIteration as end:
                self.need, self.result = None, end.value
                return
            except BaseException:
                self.need = None
                raise
            if need.path in self._seen:
                raise RuntimeError(f"a program needs two things at {need.path}")
            self._seen.add(need.path)
            if isinstance(need, Note | Together):
                self.need = need
                return
            noted = self.record.get(need.path)
            if noted is None or noted.digest != need.digest:
                self.need = need
                return
            _charge_kept(need, noted.given, self.ledger)
            step, told = self.program.send, noted.given


def _cents_of(need: AskModel, reply: Reply) -> float:
    assert need.charge is not None
    took = usage_of(need.body.content, reply)
    return need.charge.cents_of(took.input_tokens, took.output_tokens)


def not_begun(
    need: Together, at: int, record: Record, ledger: Ledger | None = None
) -> Refused | None:
    """What was refused, where that program is not to be begun: as the record says, which is told of what the ledger
    has refused since."""
    noted = record.get(need.rest_path)
    if noted is None and ledger is not None and ledger.refused is not None:
        noted = record[need.rest_path] = Noted(REST_DIGEST, NotBegun(at, ledger.refused))
    if noted is None or at < noted.given.number:
        return None
    refused: Refused = noted.given.refused
    return refused


def _charge_kept(need: Need, given: Any, ledger: Ledger) -> None:
    if isinstance(need, AskModel) and need.charge is not None and isinstance(given, Reply):
        ledger.spent(need.path, need.charge, _cents_of(need, given))


_UNKNOWN: Any = object()


def _retraced(program: Program[Any], record: Record, ledger: Ledger, before: list[Take]) -> Any:
    """Go through what the record answers, and charge it: a call as what it came to, and what was taken on the way to
    something that is in the record. What the program comes to, _UNKNOWN where the record ends before."""
    step: Callable[[Any], Need] = program.send
    told: Any = None
    while True:
        try:
            need = step(told)
        except StopIteration as end:
            return end.value
        except Exception:  # it is raised again where the program is carried out
            return _UNKNOWN
        if isinstance(need, Note):
            told = None
        elif isinstance(need, Together):
            told = []
            for at, each in enumerate(need.programs):
                if (cut := not_begun(need, at, record)) is not None:
                    told.append(cut)
                    continue
                came = _retraced(each, record, ledger, list(before))
                told.append(LATE if need.late_path(at) in record else came)
                if sum(each is _UNKNOWN for each in told) >= need.at_once:
                    break  # no more than these were under way, so none after them was begun
            if any(each is _UNKNOWN for each in told):
                program.close()
                return _UNKNOWN
        else:
            noted = record.get(need.path)
            known = noted is not None and noted.digest == need.digest
            if not known and not isinstance(need, Take):
                program.close()
                return _UNKNOWN
            told = noted.given if known and noted is not None else None
            if isinstance(need, Take):
                if told is None:
                    before.append(need)
                continue
            for take in before:
                ledger.spent(take.path, take.charge, 0.0)
            before.clear()
            _charge_kept(need, told, ledger)


def replayed(program: Program[Result], record: Record) -> Result | None:
    """The result, from a record alone. Raises NotInRecord, with the path, where it departs."""
    run = Run(program, dict(record))
    while run.need is not None:
        if isinstance(run.need, Note | Take):
            run.give(None)
        elif isinstance(run.need, Together):
            run.give(
                [
                    not_begun(run.need, at, record)
                    or (LATE if run.need.late_path(at) in record else replayed(each, record))
                    for at, each in enumerate(run.need.programs)
                ]
            )
        else:
            run.program.close()
            raise NotInRecord(f"The record has nothing for {run.need.path}.", field=run.need.path)
    return run.result


def given_by(program: Program[Result], give: Callable[[Need], Any]) -> Result:
    """The result of a program whose needs a function answers at once; an EpistemError of it fails the need. What
    may be done side by side is done in turn, and notes are told to nobody."""
    return settled(Run(program), give)


def settled(run: Run[Result], give: Callable[[Need], Any]) -> Result:
    """The same of a run, which may be told again what its record has."""
    while run.need is not None:
        try:
            told: Any = run.reserve()
            if isinstance(run.need, Note | Take) or told is not None:
                pass
            elif isinstance(run.need, Together):
                need = run.need
                told = [
                    not_begun(need, at, run.record, run.ledger)
                    or (
                        LATE
                        if need.late_path(at) in run.record
                        else settled(Run(each, run.record, run.ledger), give)
                    )
                    for at, each in enumerate(need.programs)
                ]
            else:
                told = give(run.need)
        except EpistemError as error:
            run.fail(error)
        else:
            run.give(told)
    return run.result  # type: ignore[return-value]


def from_list(program: Program[Result], given: Iterable[Any]) -> tuple[list[Need], Result | None]:
    """What the program needs and its result, when it is given these in order; an exception fails
    its need. For tests. Raises IndexError when they are too few."""
    run, waiting, needed = Run(program), list(given), []
    while run.need is not None:
        needed.append(run.need)
        told = waiting.pop(0)
        if isinstance(told, Exception):
            run.fail(told)
        else:
            run.give(told)
    return needed, run.result
