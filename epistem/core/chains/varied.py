"""A chain with something else at one of its steps, and with its look-ups from versions that stay: an arm of a trial."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from pydantic import Field

from epistem.core.chains.askings import askings_of, keepers_of
from epistem.core.chains.content import CallStep, Chain, Chooser, Route, placed
from epistem.core.chains.kinds import Ask, Collect, LookUpStep, Merge, Vote
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Input, Prompt
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document, listed, said


class VariedStep(Document):
    """At the step of this name: another model, settings over its own, another version of its prompt."""

    step: str = Field(max_length=80)
    model: str = said("", max_length=80)
    settings: Settings = said(of=Settings)
    kept: str = said("", max_length=80)
    prompt: Prompt | None = said(None)


def asking_steps(chain: Chain) -> list[str]:
    """The names of its own steps that ask a model."""
    return [each.step.name for each in placed(chain.steps) if askings_of(each.step)]


def varied(chain: Chain, change: VariedStep | None) -> Chain:
    """Raises InvalidInput, naming the field, where it has no such step."""
    if change is None:
        return chain
    told = chain.model_copy(deep=True)
    for each in placed(told.steps):
        step = each.step
        asks = step.chooser if isinstance(step, Route) else step
        if step.name != change.step or not isinstance(asks, Ask | Vote | Collect | Chooser):
            continue
        if change.model:
            asks.model = change.model
        asks.settings = change.settings.over(asks.settings)
        if change.prompt is not None:
            if not isinstance(asks, Ask | Vote):
                raise InvalidInput(
                    f"“{step.name}” has no prompt that could be another.", field="prompt"
                )
            asks.prompt, asks.kept = change.prompt, change.kept
        return told
    there = listed(asking_steps(chain), "and") or "none"
    message = f"No step that asks a model is called “{change.step[:80]}”. There are: {there}."
    raise InvalidInput(message, field="step")


def look_ups_in(chain: Chain) -> dict[str, LookingUp]:
    """What it looks up, by the place of the step and, where that asks a model, the input: `3`, `4/notices`."""
    found: dict[str, LookingUp] = {}
    for key, each in _looking(chain, ""):
        looking = each.looking if isinstance(each, LookUpStep) else each.look_up
        if looking is not None:
            found[key] = looking
    return found


def with_look_ups_in(chain: Chain, changed: Mapping[str, LookingUp]) -> Chain:
    """The same chain, with other look-ups at these places."""
    if not changed:
        return chain
    told = chain.model_copy(deep=True)
    for key, each in _looking(told, ""):
        if key in changed and isinstance(each, LookUpStep):
            each.looking = changed[key]
        elif key in changed and isinstance(each, Input):
            each.look_up = changed[key]
    return told


def _looking(chain: Chain, before: str) -> Iterator[tuple[str, LookUpStep | Input]]:
    for each in placed(chain.steps):
        at, step = f"{before}{each.at}", each.step
        if isinstance(step, LookUpStep):
            yield at, step
        elif isinstance(step, Ask | Vote):
            for keeper in keepers_of(step):
                more = "merge/" if isinstance(keeper, Merge) else ""
                for one in keeper.prompt.inputs:
                    if one.look_up:
                        yield f"{at}/{more}{one.name}", one
        elif isinstance(step, CallStep):
            yield from _looking(step.chain, f"{at}.in.")
