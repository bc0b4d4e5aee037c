"""Walking a chain with the models of the list."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Mapping, Sequence
from typing import Any

from epistem.core.chains.content import Chain
from epistem.core.chains.walked import Speaker, Stepped, Walked
from epistem.core.chains.walking import Walk
from epistem.core.engine.needs import AskModel, Note
from epistem.core.engine.run import Run
from epistem.core.errors import InvalidInput, NotFound
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.fragments import split_reference
from epistem.core.prompts.tool import Tool
from epistem.models.client import ModelClient
from epistem.models.driving import Driven, carry_out
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK
from epistem.store import models, subjects, versions
from epistem.store.database import Database, Transaction
from epistem.store.models import Model
from epistem.store.tools import kept
from epistem.work.knowledge.looking_up import finder
from epistem.work.limits import SharedLimits
from epistem.work.tools.reaching import Reaching

AT_ONCE = 64
"""Calls in flight, of all walks together."""
Told = Callable[[Stepped], Awaitable[None]]


class Asked:
    """The models that a walk asks, each by its name. Nothing is remembered of them beyond the walk's own record."""

    def __init__(self, listed: Mapping[str, Model]) -> None:
        self._endpoints = {name: Endpoint.of(model) for name, model in listed.items()}

    def endpoint_of(self, need: AskModel) -> Endpoint:
        return self._endpoints[need.model]

    async def recall(self, need: AskModel) -> bytes | None:
        return None

    async def heard(self, need: AskModel, reply: bytes | None) -> None:
        return None


class Kept:
    """What is kept here, by its name and version."""

    def __init__(self, tx: Transaction) -> None:
        self._tx = tx

    def prompt(self, reference: str) -> Prompt:
        """Raises InvalidInput or NotFound."""
        name, number = _split(reference, "a prompt", "desk-reply@3")
        found = versions.get(self._tx, subjects.get(self._tx, name), number).content
        if not isinstance(found, Prompt):
            raise NotFound(f"{reference} is no prompt.", field="prompt")
        return found

    def tool(self, reference: str) -> Tool:
        """Raises InvalidInput or NotFound."""
        return kept.version(self._tx, *_split(reference, "a tool", "timetable@1"))


def _split(reference: str, what: str, example: str) -> tuple[str, int]:
    split = split_reference(reference)
    if split is None:
        raise InvalidInput(
            f"“{reference[:80]}” names no version of {what}. Write its name, @ and the version, as in {example}."
        )
    return split


async def walk(
    database: Database, chain: Chain, inputs: Mapping[str, Any], *, seed: int, told: Told
) -> Walked:
    """To its end; `told` hears of each step that is over. Tools are reached as in a try, but none that changes
    something, since nobody is there to allow it."""
    [walked] = await walks(database, chain, [inputs], seed=seed, told=told)
    return walked


async def walks(
    database: Database,
    chain: Chain,
    given: Sequence[Mapping[str, Any]],
    *,
    seed: int = 1,
    at_once: int = 8,
    told: Told | None = None,
) -> list[Walked]:
    """The same of several inputs, so many at once, in their order."""
    with database.transaction() as tx:
        listed = {model.name: model for model in models.all_of(tx)}
    if not listed:
        raise InvalidInput("There is no model in the list.", field="model")
    program = Walk(chain, {name: _speaker(model) for name, model in listed.items()}, seed)
    filler = Endpoint.of(next(iter(listed.values())))  # each need names its own
    places = asyncio.Semaphore(at_once)

    async def noted(note: Note) -> None:
        if told is not None:
            await told(note.what)

    limits, reach = SharedLimits(database), Reaching(database, "try")
    try:
        async with ModelClient(in_flight=AT_ONCE, retry=QUICK, limits=limits) as client:

            async def one(inputs: Mapping[str, Any]) -> Walked:
                async with places:
                    return await carry_out(
                        client,
                        filler,
                        Driven(Run(program.program(inputs))),
                        aside=Asked(listed),
                        look_up=finder(database),
                        reach=reach,
                        noted=noted,
                    )

            async with asyncio.TaskGroup() as group:
                tasks = [group.create_task(one(each)) for each in given]
            return [task.result() for task in tasks]
    finally:
        limits.close()
        reach.close()


def _speaker(model: Model) -> Speaker:
    return Speaker(
        model.name,
        model.asked_as,
        model.format,
        tuple(model.abilities),
        model.input_cents / 1e6,
        model.output_cents / 1e6,
    )
