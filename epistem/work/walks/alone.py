"""One step of a walk by itself: on what it was given there, told by the walk's record."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from epistem.core.chains.alone import knowing, step_alone
from epistem.core.chains.content import Chain, placed
from epistem.core.chains.drawn import step_of_place
from epistem.core.chains.walked import Begun
from epistem.core.engine.needs import Note, Program, Result, Together
from epistem.core.engine.run import replayed
from epistem.core.errors import EpistemError, InvalidInput
from epistem.store import models
from epistem.store.database import Transaction
from epistem.store.walks import record
from epistem.store.walks.rows import Walking
from epistem.work.walks.otherwise import walk_of


class _Came(Exception):
    """The walk came to the step."""

    def __init__(self, known: Mapping[str, Any]) -> None:
        super().__init__()
        self.known = dict(known)


def alone(
    tx: Transaction, origin: Walking, at: str, chain: Chain, edits: Mapping[str, Any]
) -> tuple[Chain, dict[str, Any]]:
    """A chain of the one step that stands at that place of the walk, as `chain` has it, and its inputs; values of the
    state that are edited are as that says. Raises InvalidInput where there is none, or the walk did not come to it."""
    there = {each.at: each.step for each in placed(origin.chain.steps)}.get(step_of_place(at))
    name = next((each["name"] for each in origin.steps if each["at"] == at), there and there.name)
    if name not in {each.step.name for each in placed(chain.steps)}:
        raise InvalidInput(
            f"The chain has no step “{name or at[:60]}” any more.", field="from_step"
        )
    return knowing(step_alone(chain, name), known_before(tx, origin, at) | dict(edits))


def known_before(tx: Transaction, walking: Walking, at: str) -> dict[str, Any]:
    """The inputs and the state as they were before the step at that place, whole. Raises InvalidInput where the walk
    did not come to it."""
    walk = walk_of(walking, {model.name: model for model in models.all_of(tx)})

    def hear(note: Note) -> None:
        if isinstance(note.what, Begun) and note.what.at == at:
            raise _Came(note.what.known)

    program = _watched(walk.program(walking.line.inputs), hear)
    try:
        replayed(program, record.as_record(record.of(tx, walking.id)))
    except _Came as came:
        return came.known
    except EpistemError:
        pass  # its record goes no further
    raise InvalidInput(f"Walk {walking.id} did not come to step {at[:60]}.", field="from_step")


def _watched(program: Program[Result], hear: Callable[[Note], None]) -> Program[Result]:
    """The same program; what it notes is heard, also in what is done side by side."""
    told: Any = None
    while True:
        try:
            need = program.send(told)
        except StopIteration as end:
            return end.value  # type: ignore[no-any-return]
        if isinstance(need, Note):
            hear(need)
        if isinstance(need, Together):
            need = replace(need, programs=[_watched(each, hear) for each in need.programs])
        told = yield need
