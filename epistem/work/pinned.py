"""What a prompt has from elsewhere, filled in: the texts of its fragments, and its tools that are kept."""

from __future__ import annotations

from epistem.core.prompts.content import Prompt
from epistem.store.database import Transaction
from epistem.store.tools import kept
from epistem.work import fragments


def filled_in(tx: Transaction, prompt: Prompt) -> Prompt:
    """What this server does not have stays as the prompt brought it."""
    return _with_tools(tx, fragments.filled_in(tx, prompt))


def differing_tools(tx: Transaction, prompt: Prompt) -> list[str]:
    """References of tools that are kept here and are not as the prompt has them."""
    here = kept.of_references(tx, [tool.kept for tool in prompt.tools if tool.kept])
    return [tool.kept for tool in prompt.tools if here.get(tool.kept, tool) != tool]


def _with_tools(tx: Transaction, prompt: Prompt) -> Prompt:
    here = kept.of_references(tx, [tool.kept for tool in prompt.tools if tool.kept])
    tools = [here.get(tool.kept, tool) for tool in prompt.tools]
    return prompt if tools == prompt.tools else prompt.model_copy(update={"tools": tools})
