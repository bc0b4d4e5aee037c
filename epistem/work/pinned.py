"""What a subject has from elsewhere, filled in: fragments and kept tools of prompts, and of chains also the versions of
prompts and chains that their steps name."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, TypeVar, cast

from epistem.core.chains.askings import keepers_of
from epistem.core.chains.content import AnyStep, CallStep, Chain, placed
from epistem.core.chains.kinds import UseToolStep
from epistem.core.errors import EpistemError
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.fragments import split_reference
from epistem.core.prompts.tool import Tool
from epistem.core.subjects.content import Content
from epistem.store import subjects, versions
from epistem.store.database import Transaction
from epistem.store.tools import kept
from epistem.work import fragments

Filled = TypeVar("Filled", bound=Content)


def filled_in(tx: Transaction, content: Filled) -> Filled:
    """What this server does not have stays as it was brought."""
    told: Content = _chain(tx, content) if isinstance(content, Chain) else _prompt(tx, content)
    return cast(Filled, told)


def missing(tx: Transaction, chain: Chain) -> list[tuple[str, str]]:
    """(place of the step, reference) of what a chain names and this server does not have."""
    return [
        (each.at, name)
        for each in placed(chain.steps)
        for name in _references(each.step)
        if not _there(tx, each.step, name)
    ]


def differing_tools(tx: Transaction, prompt: Prompt) -> list[str]:
    """References of tools that are kept here and are not as the prompt has them."""
    here = kept.of_references(tx, [tool.kept for tool in prompt.tools if tool.kept])
    return [tool.kept for tool in prompt.tools if here.get(tool.kept, tool) != tool]


def version_of(tx: Transaction, reference: str) -> Content | None:
    """The content of a version by its name and number; None where there is none."""
    split = split_reference(reference)
    if split is None:
        return None
    try:
        return versions.get(tx, subjects.get(tx, split[0]), split[1]).content
    except EpistemError:
        return None


def _prompt(tx: Transaction, prompt: Prompt) -> Prompt:
    return _with_tools(tx, fragments.filled_in(tx, prompt))


def _chain(tx: Transaction, chain: Chain) -> Chain:
    """The same chain where nothing changes by it."""
    told = chain.model_copy(deep=True)
    for each in placed(told.steps):
        step = each.step
        for keeper in keepers_of(step):
            found = version_of(tx, keeper.kept) if keeper.kept else None
            keeper.prompt = found if isinstance(found, Prompt) else _prompt(tx, keeper.prompt)
        if isinstance(step, CallStep):
            found = version_of(tx, step.kept) if step.kept else None
            step.chain = found if isinstance(found, Chain) else _chain(tx, step.chain)
        elif isinstance(step, UseToolStep) and step.tool.kept:
            step.tool = _tool(tx, step.tool)
    return chain if told == chain else told


def _references(step: AnyStep) -> Iterator[str]:
    yield from (keeper.kept for keeper in keepers_of(step) if keeper.kept)
    if isinstance(step, CallStep) and step.kept:
        yield step.kept
    if isinstance(step, UseToolStep) and step.tool.kept:
        yield step.tool.kept


def _there(tx: Transaction, step: Any, name: str) -> bool:
    if isinstance(step, UseToolStep):
        return bool(kept.of_references(tx, [name]))
    return isinstance(version_of(tx, name), Chain if isinstance(step, CallStep) else Prompt)


def _tool(tx: Transaction, tool: Tool) -> Tool:
    return kept.of_references(tx, [tool.kept]).get(tool.kept, tool)


def _with_tools(tx: Transaction, prompt: Prompt) -> Prompt:
    here = kept.of_references(tx, [tool.kept for tool in prompt.tools if tool.kept])
    tools = [here.get(tool.kept, tool) for tool in prompt.tools]
    return prompt if tools == prompt.tools else prompt.model_copy(update={"tools": tools})
