"""What need not be asked again, since exactly that was asked in a trial before."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from epistem.core.engine.needs import digest_of
from epistem.core.errors import InvalidInput, NotFound
from epistem.core.trials.plan import TrialPlan
from epistem.models.driving import Before
from epistem.store import entries, replied, trials
from epistem.store.database import Transaction
from epistem.store.models import Model
from epistem.store.replied import Place
from epistem.store.subjects import Subject
from epistem.work.speakers import LONGEST, Asked

AT_A_TIME = 40
"""Places whose replies are read in one go."""


def replied_before(
    tx: Transaction, trial_id: int, places: Collection[Place], now: Mapping[str, Model]
) -> Iterator[tuple[Asked, Before]]:
    """In a trial, to the cases and repeats at these places of it, in order; by models that would answer the same today.
    Read as it is taken, some places at a time: together they may be more than there is memory for."""
    same: dict[int, str | None] = {}
    in_order = sorted(places)
    for first in range(0, len(in_order), AT_A_TIME):
        found = replied.at(tx, trial_id, in_order[first : first + AT_A_TIME], LONGEST)
        new = {each.entry_id for each in found} - set(same)
        for entry_id, model in entries.get_all(tx, new).items():
            alike = model.name in now and entries.answer_alike(model, now[model.name])
            same[entry_id] = model.name if alike else None
        for each in found:
            if name := same.get(each.entry_id):
                asked = name, digest_of(each.hash, each.seed)
                yield asked, Before(each.reply, each.usage, each.ms)


def check_as_recorded(tx: Transaction, subject: Subject, plan: TrialPlan) -> None:
    """Raises InvalidInput where the plan takes answers over from a trial that can't have them."""
    if plan.as_recorded is None:
        return
    try:
        source = trials.get(tx, plan.as_recorded)
    except NotFound as error:
        raise InvalidInput(error.message, field="as_recorded") from error
    problem = ""
    if source.subject_id != subject.id:
        problem = f"T{source.id} is not one of “{subject.name}”."
    elif subject.kind != "chain":
        problem = "Only steps of chains are answered as recorded: a prompt would be asked nothing."
    elif source.answers_of is not None:
        problem = f"T{source.id} judges the answers of T{source.answers_of}: take those over."
    elif source.plan.alone != plan.alone:
        tried = f"“{source.plan.alone}” alone" if source.plan.alone else "the whole chain"
        problem = f"T{source.id} tried {tried}, so it was asked nothing that this will ask."
    if problem:
        raise InvalidInput(problem, field="as_recorded")


def seeds_as_recorded(tx: Transaction, plan: TrialPlan) -> dict[Place, int]:
    """The seeds of that trial, by the number of the case and the repeat: a request is the same only with its seed."""
    if plan.as_recorded is None:
        return {}
    source = trials.get(tx, plan.as_recorded)
    arms = trials.arms_of(tx, source.id)
    first = next((arm.position for arm in arms if arm.is_chain), 0)
    return replied.seeds_of(tx, source.id, first, source.cases)
