"""What a model answered, in whichever format it came, and what it is offered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple


class Usage(NamedTuple):
    """Tokens as the server counted them; `told` is False where it did not say. Reasoning is part of
    the output."""

    input_tokens: int = 0
    output_tokens: int = 0
    reasoning_tokens: int = 0
    told: bool = True


NOT_TOLD = Usage(told=False)


class ToolCall(NamedTuple):
    """`arguments` is the JSON as the model wrote it, which need not be JSON."""

    id: str
    name: str
    arguments: str


class ToolWish(NamedTuple):
    """Whether the model has to call a tool (`this` by `name`), and whether it may call several at once."""

    choice: Literal["auto", "must", "this", "none"] = "auto"
    name: str = ""
    several: bool = True


AS_IT_LIKES = ToolWish()


class Reply(NamedTuple):
    """`model` is the name that the server says answered, which may differ from the one asked."""

    text: str
    finish_reason: str
    usage: Usage
    model: str
    reasoning: str = ""
    tool_calls: tuple[ToolCall, ...] = ()


Content = str | list[tuple[str, str]]
"""A text, or ("text", text) and ("image", `data:` address) in order."""


class ToolOffer(NamedTuple):
    """A tool as a model is told of it; `parameters` is a JSON Schema of type object."""

    name: str
    description: str
    parameters: Mapping[str, Any]
