"""How the inputs of an arm are looked up: as its version says, changed as the plan says, from a version that stays."""

from __future__ import annotations

from epistem.core.chains.content import Chain
from epistem.core.chains.varied import look_ups_in
from epistem.core.engine.looking import looked_up
from epistem.core.errors import InvalidInput, NotFound
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.subjects.content import Content
from epistem.core.trials.plan import ArmPlan
from epistem.store.database import Transaction
from epistem.store.knowledge import collections


def look_ups_of(
    tx: Transaction, arm: ArmPlan, content: Content, position: int
) -> dict[str, LookingUp]:
    """By input; of a chain by the place where it looks up. Raises InvalidInput where a collection is gone or empty, or
    has no such version, and for a change where nothing is looked up."""
    field = f"arms.{position}.look_up"
    changed = {} if arm.look_up is None else arm.look_up.model_dump(exclude_none=True)
    found = {}
    if isinstance(content, Chain):
        looking_up = list(look_ups_in(content).items())
    else:
        looking_up = [(each.name, looking) for each, looking in looked_up(content, {})]
    for name, looking in looking_up:
        told = LookingUp.from_json({**looking.to_json(), **changed}, at=field)
        try:
            collection = collections.get(tx, told.collection)
            version = collections.check_version(collection, told.version)
        except NotFound as error:
            raise InvalidInput(error.message, field=field) from error
        if not version:
            raise InvalidInput(
                f"“{told.collection}”, where “{name}” is looked up, is empty. Bring documents in under "
                "Knowledge.",
                field=field,
            )
        found[name] = told.model_copy(update={"version": version})
    if changed and not found:
        raise InvalidInput(
            f"Version {arm.version} looks nothing up, so there is nothing to change in how.",
            field=field,
        )
    return found
