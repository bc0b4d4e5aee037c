"""What a prompt is: messages made of named parts, settings, and the shape of its reply."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

from pydantic import Field

from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document

MAX_PART_CHARACTERS = 500_000

Role = Literal["system", "user", "assistant"]


class Part(Document):
    """A named piece of a message; its text is a Jinja2 template."""

    name: str = Field(max_length=80)
    text: str = Field("", max_length=MAX_PART_CHARACTERS)


class Message(Document):
    role: Role
    parts: list[Part] = Field(default_factory=list, max_length=200)


class ReplyShape(Document):
    """What the answer should look like.

    `json_schema` is the schema as an object. A string is text that was typed and is not JSON
    yet: a draft keeps it, a version refuses it.
    """

    kind: Literal["text", "label", "json"] = "text"
    labels: list[str] = Field(default_factory=list, max_length=200)
    json_schema: dict[str, Any] | bool | str | None = None
    send_schema: bool = Field(
        False, description="Also send the schema as response_format, where the model can use it."
    )


class Prompt(Document):
    """The content of a draft or a version."""

    messages: list[Message] = Field(default_factory=list, max_length=200)
    settings: Settings = Field(default_factory=Settings)
    reply: ReplyShape = Field(default_factory=ReplyShape)


def parts_of(prompt: Prompt) -> Iterator[tuple[str, Message, Part]]:
    """Every part in order, with the path of its text (`messages.0.parts.1.text`)."""
    for m, message in enumerate(prompt.messages):
        for p, part in enumerate(message.parts):
            yield f"messages.{m}.parts.{p}.text", message, part


def blank_prompt() -> Prompt:
    """What a new prompt starts from: enough to press Answer at once."""
    return Prompt(
        messages=[
            Message(role="system", parts=[Part(name="Task", text="")]),
            Message(role="user", parts=[Part(name="Message", text="{{ message }}")]),
        ],
        settings=Settings(temperature=0.3, max_tokens=300),
    )
