"""A chain that a model proposes from a description, for somebody who waits."""

from __future__ import annotations

import asyncio
from typing import NamedTuple

from epistem.core.chains.content import Chain
from epistem.core.chains.proposing import Proposal, propose
from epistem.core.chains.yaml_file import chain_to_yaml
from epistem.core.engine.run import Run
from epistem.core.errors import InvalidInput
from epistem.models.client import ModelClient
from epistem.models.driving import Driven, carry_out
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK
from epistem.store import drafts, models, subjects
from epistem.store.database import Database
from epistem.store.knowledge import collections
from epistem.work import pinned
from epistem.work.chain_drafts import LookedAt, look_at, looked_at
from epistem.work.limits import SharedLimits
from epistem.work.walks.chains import Asked, faults_here, speaker_of


class Proposed(NamedTuple):
    """`looked` is None where what was written is no chain after all. `before` and `after` are the YAML of both, written
    in the same way, so that they differ only where the chains do."""

    proposal: Proposal
    looked: LookedAt | None
    before: str
    after: str
    cents: float


def propose_chain(database: Database, name: str, asked: str, model: str) -> Proposed:
    """Nothing is kept. Raises InvalidInput for a model that is not there, and what its call raises."""
    with database.transaction() as tx:
        subject = subjects.get(tx, name)
        there = look_at(tx, subject, drafts.get(tx, subject))
        listed = {each.name: each for each in models.all_of(tx)}
        known = [each.name for each in collections.all_of(tx)]
    if model not in listed:
        raise InvalidInput(f"There is no model “{model[:60]}” in the list.", field="model")
    speaker = speaker_of(listed[model])

    def wrong_with(chain: Chain) -> list[str]:
        with database.transaction() as tx:
            found = faults_here(tx, pinned.filled_in(tx, chain))
        return [
            f"Step {fault.at}: {fault.message}" if fault.at else fault.message
            for fault in found
            if fault.stops
        ][:20]

    program = propose(speaker, name, asked, there.yaml, list(listed), known, wrong_with)
    driven = Driven(Run(program))

    async def drive() -> None:
        limits = SharedLimits(database)
        try:
            async with ModelClient(in_flight=1, retry=QUICK, limits=limits) as client:
                endpoint = Endpoint.of(listed[model])
                await carry_out(client, endpoint, driven, aside=Asked(listed))
        finally:
            limits.close()

    asyncio.run(drive())
    proposal = driven.result
    cents = sum(
        listed[model].cost_cents(each.usage.input_tokens, each.usage.output_tokens)
        for each in driven.made
    )
    before = chain_to_yaml(name, subject.about, subject.tags, there.chain)
    if proposal.chain is None:
        return Proposed(proposal, None, before, proposal.yaml, cents)
    after = chain_to_yaml(name, subject.about, subject.tags, proposal.chain)
    with database.transaction() as tx:
        looked = looked_at(tx, pinned.filled_in(tx, proposal.chain), proposal.yaml, None)
    return Proposed(proposal, looked, before, after, cents)
