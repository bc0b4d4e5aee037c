"""What a prompt is: messages made of named parts, inputs, examples, tools, settings, reply shape."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal, Self

from pydantic import Field, model_validator

from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.tool import Tool, ToolChoice
from epistem.core.shapes import Document, said
from epistem.core.templates.language import token_count

MAX_PART_CHARACTERS = 500_000
MAX_TOKENS = 60_000
"""Marks, and words inside marks, of all parts together: reading them takes time at every look."""

Role = Literal["system", "user", "assistant"]
InputKind = Literal[
    "text", "number", "choice", "list", "record", "image", "passages", "dialogue"
]  # fmt: skip


class Part(Document):
    """A named piece of a message; its text is a Jinja2 template. One that is `off` is not sent."""

    name: str = Field(max_length=80)
    text: str = Field("", max_length=MAX_PART_CHARACTERS)
    off: bool = said(False)


class Message(Document):
    role: Role
    parts: list[Part] = Field(default_factory=list, max_length=200)


class RecordField(Document):
    """One field of a record."""

    name: str = Field(max_length=80)
    kind: Literal["text", "number", "choice", "list"] = "text"
    description: str = said("", max_length=400)
    choices: list[str] = said(max_length=200)


class Input(Document):
    """What is known of an input beyond its name in the text.

    `choices` are those of a choice, `fields` those of a record. The default stands in where no
    value is given; the example is what a try-out starts with.
    """

    name: str = Field(max_length=80)
    kind: InputKind = "text"
    description: str = said("", max_length=400)
    choices: list[str] = said(max_length=200)
    fields: list[RecordField] = said(max_length=100)
    default: Any = said(None)
    example: Any = said(None)
    look_up: LookingUp | None = said(
        None, description="Where passages come from that a case or a try does not give itself."
    )


class Example(Document):
    """A worked pair that is shown to the model. Inputs left out are those of the call itself."""

    inputs: dict[str, Any] = Field(default_factory=dict)
    answer: str = Field("", max_length=MAX_PART_CHARACTERS)
    off: bool = said(False)
    origin: str = said("", max_length=200)


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
    """The content of a draft or a version of a prompt. `fragments` has the text of every fragment that a part
    includes, by `name@version`, so that a version is whole by itself."""

    kind: Literal["prompt"] = said("prompt")
    messages: list[Message] = Field(default_factory=list, max_length=200)
    settings: Settings = Field(default_factory=Settings)
    reply: ReplyShape = Field(default_factory=ReplyShape)
    inputs: list[Input] = said(max_length=200)
    examples: list[Example] = said(max_length=200)
    examples_as: Literal["messages", "text"] = said("messages")
    tools: list[Tool] = said(max_length=64)
    tool_choice: ToolChoice | None = said(None)
    fragments: dict[str, str] = said(of=dict)

    @model_validator(mode="after")
    def _can_be_read_soon(self) -> Self:
        texts = [part.text for message in self.messages for part in message.parts]
        total = 0
        for text in (*texts, *self.fragments.values()):
            total += token_count(text)
            if total > MAX_TOKENS:
                raise ValueError(
                    f"The parts have more than {MAX_TOKENS:,} marks and words inside marks together. "
                    "Put what repeats into an input and go through it with a loop"
                )
        return self


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
