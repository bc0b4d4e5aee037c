"""What the person of a case says next, for somebody who plays the talk by hand: a model may be asked for it."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.cases.content import Case, title_of
from epistem.core.cases.talk import Talked, talked
from epistem.core.engine.run import Run
from epistem.core.trials.talking import Person
from epistem.models.client import ModelClient
from epistem.models.driving import Driven, carry_out
from epistem.models.retry import QUICK
from epistem.store import entries, models
from epistem.store.database import Database
from epistem.work.calls import call_of
from epistem.work.judging import People
from epistem.work.limits import SharedLimits
from epistem.work.probation import NOBODY


class Heard(NamedTuple):
    """`cents` is what it cost to have it said."""

    talked: Talked
    cents: float


def person_says(
    database: Database, case: Case, answers: Sequence[str], said: Sequence[str], opening: str = ""
) -> Heard:
    """To the last of these answers; `said` is what they said before. Raises PersonFailed where the model
    that plays them gives no reply."""
    replies = dict(enumerate(said))
    told = talked(case, answers, replies)
    if not told.asks:  # a look, at each letter that is typed in a rule: nothing is written for it
        return Heard(told, 0.0)
    people = _people(database, case)
    person = Person(case, opening or title_of(case), people.asked, replies)
    driven = Driven(Run(person.talked(answers)))
    asyncio.run(_drive(database, people, driven))
    cents = sum(call_of(made, people.models[made.need.model], people).cents for made in driven.made)
    return Heard(driven.result, cents)


def _people(database: Database, case: Case) -> People:
    assert case.person is not None
    persona = case.person.persona
    assert persona is not None, "nobody else is asked"
    with database.transaction() as tx:
        known = {model.name: model for model in models.all_of(tx) if model.name == persona.model}
        ids = {name: entries.keep(tx, model) for name, model in known.items()}
    return People(database, known, ids, hurried=True)


async def _drive(database: Database, people: People, driven: Driven[Talked]) -> None:
    limits = SharedLimits(database)
    try:
        async with ModelClient(in_flight=1, retry=QUICK, limits=limits) as client:
            await carry_out(client, NOBODY, driven, aside=people)
    finally:
        limits.close()
