"""One step of a chain as a chain of its own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from epistem.core.chains.content import AnyStep, Chain, inside, placed
from epistem.core.chains.depends import writes_of
from epistem.core.chains.kinds import Ask
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Input, ReplyShape
from epistem.core.shapes import listed


def step_alone(chain: Chain, name: str) -> Chain:
    """A chain of the step of that name: it has the state of the whole, and what the step writes is what it comes to.
    Raises InvalidInput where there is none."""
    steps = [each.step for each in placed(chain.steps)]
    step = next((each for each in steps if each.name == name), None)
    if step is None:
        there = listed([f"“{each.name}”" for each in steps][:20], "and") or "none"
        message = f"The chain has no step “{name[:60]}”. There are: {there}."
        raise InvalidInput(message, field="step")
    values = {value.name for value in chain.state}
    written = dict.fromkeys(each for each in _written(step) if each in values)
    return chain.model_copy(
        update={
            "steps": [step.model_copy(deep=True)],
            "outputs": {each: each for each in written},
            "reply": _reply_of(step),
            "talk": None,
        }
    )


def knowing(chain: Chain, known: Mapping[str, Any]) -> tuple[Chain, dict[str, Any]]:
    """A chain of a step that is given this, and the inputs of it: what is of the state is what that begins with, and
    what is neither, as the item of a list, is an input more."""
    values = {value.name for value in chain.state}
    inputs = {each.name for each in chain.inputs}
    more = [Input(name=each) for each in known if each not in values | inputs]
    state = [
        value.model_copy(update={"start": known.get(value.name, value.start)})
        for value in chain.state
    ]
    told = chain.model_copy(update={"inputs": [*chain.inputs, *more], "state": state})
    return told, {each: value for each, value in known.items() if each not in values}


def _reply_of(step: AnyStep) -> ReplyShape:
    """What is asked for is what it comes to, where it is written down as it came."""
    if isinstance(step, Ask) and isinstance(step.writes, str):
        return step.prompt.reply
    return ReplyShape()


def _written(step: AnyStep) -> list[str]:
    inner = [name for _, steps in inside(step) for each in steps for name in _written(each)]
    return [*writes_of(step), *inner]
