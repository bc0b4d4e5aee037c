"""What a model's server does otherwise than most: what it refuses, and what it calls things."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from pydantic import ConfigDict, Field

from epistem.core.shapes import Document

Refusable = Literal[
    "seed", "stream_options", "temperature", "top_p", "stop",
    "frequency_penalty", "presence_penalty",
]  # fmt: skip
"""Parts of a request that a server may refuse to be sent at all."""
SchemaForm = Literal["schema", "object", "none"]


class Habits(Document):
    """Nothing given: as most servers do."""

    model_config = ConfigDict(frozen=True)

    refuses: tuple[Refusable, ...] = Field((), description="What is not sent to it.")
    limit_as: Literal["max_tokens", "max_completion_tokens"] = Field(
        "max_tokens", description="What it calls the limit of an answer."
    )
    schema_as: SchemaForm = Field(
        "schema",
        description="How it takes a reply schema: whole, as “some JSON object”, or not at all.",
    )
    key_header: str = Field(
        "",
        max_length=80,
        description="The header that the key is sent in; empty for the usual one.",
    )
    key_prefix: str | None = Field(
        None, max_length=40, description="What stands before the key in that header."
    )


USUAL_HABITS = Habits()


def as_it_takes(body: Mapping[str, Any], habits: Habits) -> dict[str, Any]:
    """The body of a chat-completions request with what the server refuses left out, and the rest
    under the server's own names."""
    told = {name: value for name, value in body.items() if name not in habits.refuses}
    if habits.limit_as != "max_tokens" and "max_tokens" in told:
        told[habits.limit_as] = told.pop("max_tokens")
    if "response_format" in told and habits.schema_as != "schema":
        del told["response_format"]
        if habits.schema_as == "object":
            told["response_format"] = {"type": "json_object"}
    return told


def key_headers(key: str, habits: Habits, usual: dict[str, str]) -> dict[str, str]:
    """The header that a key is sent in: the wire format's, unless the server wants another."""
    if not habits.key_header and habits.key_prefix is None:
        return usual
    name = habits.key_header or next(iter(usual))
    prefix = habits.key_prefix
    if prefix is None:
        prefix = "Bearer" if name.lower() == "authorization" else ""
    return {name: f"{prefix} {key}" if prefix else key}
