"""What an arm of a trial asks: a version, with what the plan has otherwise."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from epistem.core.cases.content import Case
from epistem.core.chains.alone import knowing, step_alone
from epistem.core.chains.askings import askings_of, models_of
from epistem.core.chains.content import Chain, placed
from epistem.core.chains.varied import VariedStep, varied, with_look_ups_in
from epistem.core.engine.looking import with_look_ups
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.rename import with_old_names
from epistem.core.subjects.content import Content
from epistem.core.trials.plan import ArmPlan

NO_ALIASES: Mapping[str, str] = MappingProxyType({})


def content_of_arm(
    content: Content, look_ups: Mapping[str, LookingUp], step: VariedStep | None, alone: str = ""
) -> Content:
    """What it asks of a case; where a step is tried alone, `asked_of` says the rest. Raises InvalidInput for a step
    that there is not."""
    if isinstance(content, Chain):
        told = with_look_ups_in(varied(content, step), look_ups)
        return step_alone(told, alone) if alone else told
    return with_look_ups(content, look_ups)


def asked_of(
    chain: Chain, case: Case, aliases: Mapping[str, str] = NO_ALIASES
) -> tuple[Chain, dict[str, Any]]:
    """The chain that is walked on this case, and its inputs: one of a step begins with the state that it was given."""
    inputs = with_old_names(case.inputs, aliases)
    return knowing(chain, inputs) if case.step else (chain, dict(inputs))


def step_of_arm(arm: ArmPlan, content: Content, prompt: Prompt | None) -> VariedStep | None:
    """What the plan has otherwise at a step of the chain; `prompt` is the version that it names. Raises InvalidInput,
    naming the field, for what does not suit the kind."""
    if not isinstance(content, Chain):
        if arm.step or arm.prompt:
            raise InvalidInput("Only a chain has steps that could be varied.", field="step")
        if not arm.model:
            raise InvalidInput("Choose a model.", field="model")
        return None
    if not arm.step:
        if arm.model and arm.model != main_model(content, None):
            raise InvalidInput(
                "A chain asks the models of its steps. Name the step that is to ask another one.",
                field="step",
            )
        if arm.settings.to_json() or arm.prompt:
            raise InvalidInput(
                "Settings and prompts belong to the steps of a chain. Name the step.", field="step"
            )
        return None
    step = VariedStep(
        step=arm.step, model=arm.model, settings=arm.settings, kept=arm.prompt, prompt=prompt
    )
    varied(content, step)
    return step


def main_model(content: Chain, step: VariedStep | None) -> str:
    """The model that an arm is called by: that of its varied step, else the one that has the last word."""
    if step is not None:
        if step.model:
            return step.model
        for each in placed(content.steps):
            if each.step.name == step.step and (asked := askings_of(each.step)):
                return asked[0].model
    named = models_of(content)
    return named[-1] if named else ""
