"""A program being carried out, and the drivers of it that need no outside."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Generic, NamedTuple

from epistem.core.engine.needs import LATE, Need, Note, Program, Result, Together
from epistem.core.errors import EpistemError


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
    by all that is given. How something is had is a matter of the driver: `give`, or `fail`.
    """

    __slots__ = ("_seen", "need", "program", "record", "result")

    def __init__(self, program: Program[Result], record: Record | None = None) -> None:
        self.program = program
        self.record: Record = {} if record is None else record
        self.result: Result | None = None
        self.need: Need | None = None
        self._seen: set[str] = set()
        self._move(program.send, None)

    def give(self, given: Any) -> None:
        """What the need asked for. Raises what the program raises."""
        need = self.need
        assert need is not None, "the program is over"
        if not isinstance(need, Note | Together):  # what is in those is recorded by itself
            self.record[need.path] = Noted(need.digest, given)
        self._move(self.program.send, given)

    def fail(self, error: Exception) -> None:
        """It could not be had. The program may go on without; else `error` is raised again."""
        assert self.need is not None, "the program is over"
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
            step, told = self.program.send, noted.given


def replayed(program: Program[Result], record: Record) -> Result | None:
    """The result, from a record alone. Raises NotInRecord, with the path, where it departs."""
    run = Run(program, dict(record))
    while run.need is not None:
        if isinstance(run.need, Note):
            run.give(None)
        elif isinstance(run.need, Together):
            run.give(
                [
                    LATE if run.need.late_path(at) in record else replayed(each, record)
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
            if isinstance(run.need, Note):
                told = None
            elif isinstance(run.need, Together):
                need = run.need
                told = [
                    LATE
                    if need.late_path(at) in run.record
                    else settled(Run(each, run.record), give)
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
