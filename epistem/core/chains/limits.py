"""The limits of one step: how often it is tried, how long it may take, what it may cost."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, NamedTuple

from epistem.core.chains.content import AnyStep
from epistem.core.chains.going import End, Going, over
from epistem.core.chains.kinds import Collect
from epistem.core.chains.walked import Stepped
from epistem.core.engine.budget import Budget, Refused
from epistem.core.engine.needs import LATE, AskModel, Program, Result, RunQuery, Together
from epistem.core.errors import EpistemError, InvalidInput

Doing = Callable[[Going, int], Program[Stepped]]
"""The step, done once for a line of the walk; the number of the attempt, from 0."""


class _Apart(NamedTuple):
    done: Stepped | None
    error: Exception | None


def place_of(at: str, attempt: int) -> str:
    """Where what a step needs stands in the record: each attempt in a place of its own."""
    return f"{at}~{attempt}" if attempt else at


def within_limits(step: AnyStep, at: str, going: Going, doing: Doing) -> Program[Stepped]:
    """Raises what the last attempt raises."""
    if step.cents is None:
        return (yield from _tried(step, at, going, doing))
    around = going.budgets
    going.budgets = (*around, Budget(f"{at}~cents", cents=step.cents))
    try:
        return (yield from _tried(step, at, going, doing))
    finally:
        going.budgets = around


def _tried(step: AnyStep, at: str, going: Going, doing: Doing) -> Program[Stepped]:
    retries = 0 if isinstance(step, Collect) else step.retries  # a talk is not begun anew
    for attempt in range(retries):
        try:
            return (yield from _timed(step, at, going, doing, attempt))
        except EpistemError:
            continue
    return (yield from _timed(step, at, going, doing, retries))


def _timed(step: AnyStep, at: str, going: Going, doing: Doing, attempt: int) -> Program[Stepped]:
    """What a step that is given up has written is let go."""
    if step.seconds is None:
        return (yield from doing(going, attempt))
    line = going.beside()
    place = f"{place_of(at, attempt)}~time"
    [came] = yield Together(place, [_apart(doing, line, attempt)], 1, step.seconds)
    if isinstance(came, Refused):
        raise over(came, step.name)
    if came is LATE:
        raise InvalidInput(f"It took longer than {step.seconds:g} s.")
    going.steps += line.steps
    going.written += line.written
    going.state.values = line.state.values
    going.spent.take(line.spent)
    going.talk = line.talk
    if came.error is not None:
        raise came.error
    return came.done  # type: ignore[no-any-return]


def _apart(doing: Doing, line: Going, attempt: int) -> Program[_Apart]:
    """What is raised in it is told, since others may go on beside it."""
    try:
        return _Apart((yield from doing(line, attempt)), None)
    except (End, EpistemError) as error:
        return _Apart(None, error)


def under(at: str, program: Program[Result]) -> Program[Result]:
    """The same program, all that it needs in places under this one."""
    told: Any = None
    send = program.send
    while True:
        try:
            need = send(told)
        except StopIteration as end:
            return end.value  # type: ignore[no-any-return]
        if isinstance(need, AskModel | RunQuery):
            need = replace(need, path=f"{at}.{need.path}")
        try:
            told = yield need
            send = program.send
        except EpistemError as error:
            told, send = error, program.throw
