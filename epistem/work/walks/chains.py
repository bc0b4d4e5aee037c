"""Walking a chain with the models of the list."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from epistem.core.chains.askings import askings_in, askings_of
from epistem.core.chains.content import Chain
from epistem.core.chains.depends import ledger
from epistem.core.chains.faults import faults_of
from epistem.core.chains.step_faults import Fault
from epistem.core.chains.walked import Speaker, Stepped, Walked
from epistem.core.chains.walking import PAST, Walk
from epistem.core.engine.needs import AskModel, AskPerson, HearPerson, Note, PersonSaid
from epistem.core.engine.run import Run
from epistem.core.errors import InvalidInput
from epistem.core.shapes import listed as listed_in_words
from epistem.models.client import ModelClient
from epistem.models.driving import Before, Driven, Made, carry_out
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK
from epistem.store import models
from epistem.store.database import Database, Transaction
from epistem.store.models import Model
from epistem.work import pinned
from epistem.work.knowledge.looking_up import finder
from epistem.work.limits import SharedLimits
from epistem.work.tools.reaching import Reaching

_KEEPS = re.compile(
    r"\b(?:keeps?|kept|stor(?:es?|ed)|retain(?:s|ed)?|train(?:s|ed|ing)?|logs?|logged)\b", re.I
)
_KEEPS_NOT = re.compile(r"\b(?:not|never|nothing|no|none|without)\b|n’t|n't", re.I)
AT_ONCE = 64
"""Calls in flight, of all walks together."""
Told = Callable[[Stepped], Awaitable[None]]
Approves = Callable[[AskPerson], Awaitable[PersonSaid]]
Hears = Callable[[HearPerson], Awaitable[str | None]]


class Asked:
    """The models that a walk asks, each by its name. Nothing is remembered of them beyond the walk's own record."""

    def __init__(self, listed: Mapping[str, Model]) -> None:
        self._endpoints = {name: Endpoint.of(model) for name, model in listed.items()}

    def endpoint_of(self, need: AskModel) -> Endpoint:
        return self._endpoints[need.model]

    async def recall(self, need: AskModel) -> Before | None:
        return None

    async def heard(self, need: AskModel, made: Made | None) -> None:
        return None

    def left(self, need: AskModel) -> None:
        return None


def faults_here(tx: Transaction, chain: Chain) -> list[Fault]:
    """Those of the chain, and what it names and there is not: versions, tools, models."""
    gone = [
        Fault(at, "kept", f"There is no {name} here.") for at, name in pinned.missing(tx, chain)
    ]
    missing = {fault.at for fault in gone}
    listed = {model.name: model for model in models.all_of(tx)}
    gone += _kept_elsewhere(chain, listed)
    for at, asking in askings_in(chain):
        if asking.model not in listed:
            named = f"“{asking.model}”" if asking.model else "that is not chosen yet"
            gone.append(Fault(at, asking.field, f"There is no model {named} in the list."))
    return [*gone, *(fault for fault in faults_of(chain) if fault.at not in missing)]


def _kept_elsewhere(chain: Chain, listed: Mapping[str, Model]) -> Iterator[Fault]:
    """Where what is said of people goes to a model that keeps it, or of which nobody knows."""
    for row in ledger(chain):
        names = tuple(name for name in row.reads if name in chain.personal)
        if not names:
            continue
        for field, name in {
            each.model: (each.field, each.model) for each in askings_of(row.step)
        }.values():
            if name in listed and (message := _kept_by(listed[name], names)):
                yield Fault(row.at, field, message, stops=False, names=names)


def _kept_by(model: Model, names: Sequence[str]) -> str:
    """Why that model should not be sent these values, "" where nothing speaks against it."""
    told = listed_in_words([f"“{name}”" for name in names], "and")
    holds = f"{told} {'hold' if len(names) > 1 else 'holds'} what is said of people"
    if not model.policy.strip():
        return f"{holds}, and nothing is known of what {model.name} keeps."
    if _KEEPS.search(model.policy) and not _KEEPS_NOT.search(model.policy):
        return f"{holds}, and {model.name} keeps it: {model.policy.strip()[:120]}"
    return ""


async def walk(
    database: Database,
    chain: Chain,
    inputs: Mapping[str, Any],
    *,
    seed: int,
    told: Told,
    took: dict[str, float] | None = None,
    approves: Approves | None = None,
    hears: Hears | None = None,
) -> Walked:
    """To its end; `told` hears of each step that is over. Tools are reached as in a try, but none that changes
    something, and nothing is sent. `approves` is asked at pauses, `hears` what the person of a talk says: without them
    nobody is there."""
    [walked] = await walks(
        database, chain, [inputs], seed=seed, told=told, took=took, approves=approves, hears=hears
    )
    return walked


async def walks(
    database: Database,
    chain: Chain,
    given: Sequence[Mapping[str, Any]],
    *,
    seed: int = 1,
    at_once: int = 8,
    told: Told | None = None,
    took: dict[str, float] | None = None,
    approves: Approves | None = None,
    hears: Hears | None = None,
) -> list[Walked]:
    """The same of several inputs, so many at once, in their order. `took` is filled with the ms of what a walk needed,
    by path."""
    with database.transaction() as tx:
        listed = {model.name: model for model in models.all_of(tx)}
    if not listed:
        raise InvalidInput("There is no model in the list.", field="model")
    program = Walk(chain, speakers_of(listed.values()), seed)
    filler = Endpoint.of(next(iter(listed.values())))  # each need names its own
    places = asyncio.Semaphore(at_once)

    async def noted(note: Note) -> None:
        if told is not None and isinstance(note.what, Stepped):
            await told(note.what)

    async def nobody(need: AskPerson) -> PersonSaid:
        return PersonSaid(PAST[need.then], note="Nobody is there to be asked.")

    limits, reach = SharedLimits(database), Reaching(database, "try")
    try:
        async with ModelClient(in_flight=AT_ONCE, retry=QUICK, limits=limits) as client:

            async def one(inputs: Mapping[str, Any]) -> Walked:
                async with places:
                    driven = Driven(Run(program.program(inputs)))
                    walked = await carry_out(
                        client,
                        filler,
                        driven,
                        aside=Asked(listed),
                        look_up=finder(database),
                        reach=reach,
                        noted=noted,
                        person=approves or nobody,
                        hear=hears,
                    )
                    if took is not None:
                        took.update((each.need.path, each.total_ms) for each in driven.made)
                        took.update((each.need.path, each.result.ms) for each in driven.called)
                    return walked

            async with asyncio.TaskGroup() as group:
                tasks = [group.create_task(one(each)) for each in given]
            return [task.result() for task in tasks]
    finally:
        limits.close()
        reach.close()


def speakers_of(listed: Iterable[Model]) -> dict[str, Speaker]:
    return {model.name: speaker_of(model) for model in listed}


def speaker_of(model: Model) -> Speaker:
    return Speaker(
        model.name,
        model.asked_as,
        model.format,
        tuple(model.abilities),
        model.input_cents / 1e6,
        model.output_cents / 1e6,
    )
