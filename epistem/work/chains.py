"""Walking a chain with the models of the list."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping
from typing import Any

from epistem.core.chains.content import Chain
from epistem.core.chains.walked import Speaker, Stepped, Walked
from epistem.core.chains.walking import Walk
from epistem.core.engine.needs import AskModel, Note
from epistem.core.engine.run import Run
from epistem.core.errors import InvalidInput, NotFound
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.fragments import split_reference
from epistem.models.client import ModelClient
from epistem.models.driving import Driven, carry_out
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK
from epistem.store import models, subjects, versions
from epistem.store.database import Database, Transaction
from epistem.store.models import Model
from epistem.work.knowledge.looking_up import finder
from epistem.work.limits import SharedLimits
from epistem.work.tools.reaching import Reaching

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


def named_prompt(tx: Transaction, reference: str) -> Prompt:
    """The version of a prompt that is named so. Raises InvalidInput or NotFound."""
    split = split_reference(reference)
    if split is None:
        raise InvalidInput(
            f"“{reference[:80]}” names no version of a prompt. Write its name, @ and the version, as in "
            "desk-reply@3.",
            field="prompt",
        )
    found = versions.get(tx, subjects.get(tx, split[0]), split[1]).content
    if not isinstance(found, Prompt):
        raise NotFound(f"{reference} is no prompt.", field="prompt")
    return found


async def walk(
    database: Database, chain: Chain, inputs: Mapping[str, Any], *, seed: int, told: Told
) -> Walked:
    """To its end; `told` hears of each step that is over. Tools are reached as in a try, but none that changes
    something, since nobody is there to allow it."""
    with database.transaction() as tx:
        listed = {model.name: model for model in models.all_of(tx)}
    if not listed:
        raise InvalidInput("There is no model in the list.", field="model")
    speakers = {
        name: Speaker(
            name,
            model.asked_as,
            model.format,
            tuple(model.abilities),
            model.input_cents / 1e6,
            model.output_cents / 1e6,
        )
        for name, model in listed.items()
    }
    driven = Driven(Run(Walk(chain, speakers, seed).program(inputs)))

    async def noted(note: Note) -> None:
        await told(note.what)

    limits, reach = SharedLimits(database), Reaching(database, "try")
    try:
        async with ModelClient(in_flight=16, retry=QUICK, limits=limits) as client:
            return await carry_out(
                client,
                Endpoint.of(next(iter(listed.values()))),
                driven,
                aside=Asked(listed),
                look_up=finder(database),
                reach=reach,
                noted=noted,
            )
    finally:
        limits.close()
        reach.close()
