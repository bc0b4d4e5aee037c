"""From a prompt, inputs and a model to the body of a request: the one way it is built."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any, Literal, get_args

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.dialogue import Turn, render_talk
from epistem.core.prompts.render import RenderedMessage
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.tool import AS_USUAL, Tool, ToolChoice
from epistem.core.prompts.tools import parameters_of
from epistem.core.wire import tokens
from epistem.core.wire.formats import FORMATS, USUAL, WireFormat
from epistem.core.wire.reply import ToolOffer, ToolWish

Ability = Literal["tools", "images", "reply_schema", "reasoning", "embeddings"]
ABILITIES: frozenset[Ability] = frozenset(get_args(Ability))
"""What a model may be able to do; what it can't do is not sent."""


def request_for(
    prompt: Prompt,
    inputs: Mapping[str, Any],
    model: str,
    *,
    settings: Settings | None = None,
    seed: int | None = None,
    wire: WireFormat = FORMATS[USUAL],
    abilities: Collection[str] = ABILITIES,
    turns: Sequence[Turn] = (),
) -> dict[str, Any]:
    """Render and build. `settings` stand in for the prompt's own; the answer asked for is the next
    after `turns`. Raises as `render` does."""
    told = settings or prompt.settings
    messages = render_talk(prompt, inputs, turns)
    return body_from(messages, prompt, model, told, seed, wire, abilities)


def body_from(
    messages: Iterable[RenderedMessage],
    prompt: Prompt,
    model: str,
    settings: Settings,
    seed: int | None,
    wire: WireFormat = FORMATS[USUAL],
    abilities: Collection[str] = ABILITIES,
) -> dict[str, Any]:
    """Raises InvalidInput for an image where the model takes none."""
    reply, messages = prompt.reply, list(messages)
    if "images" not in abilities and any(message.blocks for message in messages):
        raise InvalidInput(f"The model “{model}” takes no images. Choose another.", field="model")
    wanted = reply.send_schema and reply.kind == "json" and isinstance(reply.json_schema, dict)
    sends = wanted and "reply_schema" in abilities
    return wire.build_request(
        model,
        [(message.role, message.content) for message in messages],
        settings.to_json(),
        seed=seed,
        json_schema=reply.json_schema if sends else None,
        tools=[offer_of(tool) for tool in prompt.tools] if "tools" in abilities else [],
        wish=_wish_of(prompt.tool_choice or AS_USUAL),
    )


def tokens_of_tools(prompt: Prompt) -> int:
    """About how many tokens the tools add to each request: servers write them out in ways of their own."""
    if not prompt.tools:
        return 0
    offers = [offer_of(tool)._asdict() for tool in prompt.tools]
    return tokens.count(json.dumps(offers, ensure_ascii=False))


def offer_of(tool: Tool) -> ToolOffer:
    return ToolOffer(tool.name, tool.description, {"type": "object", **parameters_of(tool)})


def _wish_of(choice: ToolChoice) -> ToolWish:
    return ToolWish(choice.choice, choice.this, choice.several)
