"""From a prompt and inputs to the messages that are sent, and the problems on the way."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from jinja2 import TemplateSyntaxError

from epistem.core.errors import InvalidInput, InvalidSchema, MissingInput, TemplateError
from epistem.core.prompts.content import Part, Prompt, parts_of
from epistem.core.prompts.templates import UndefinedInput, compiled, inputs_in, syntax_error
from epistem.core.schemas import compile_schema

MAX_INPUT_CHARACTERS = 1_000_000
BETWEEN_PARTS = "\n\n"


@dataclass(frozen=True)
class RenderedMessage:
    """`parts` holds (part name, its rendered text) for the parts that were not empty."""

    role: str
    text: str
    parts: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Problem:
    """Something that stops a draft from being sent or saved as a version."""

    field: str
    message: str
    part: str | None = None
    line: int | None = None


def inputs_of(prompt: Prompt) -> list[str]:
    """Every input that the parts ask for, in order of first appearance."""
    return list(
        dict.fromkeys(name for _, _, part in parts_of(prompt) for name in inputs_in(part.text))
    )


def render(prompt: Prompt, inputs: Mapping[str, Any]) -> list[RenderedMessage]:
    """Fill in the parts and join those of a message by an empty line.

    A part that renders to nothing is left out, and so is a message without parts. Raises
    TemplateError (naming part and line), MissingInput (naming input and part), or
    InvalidInput when an input or a rendered part is too long.
    """
    check_inputs(inputs)
    messages = []
    fields = {id(part): field for field, _, part in parts_of(prompt)}
    for message in prompt.messages:
        rendered = [
            (part.name, _render_part(part, inputs, fields[id(part)])) for part in message.parts
        ]
        kept = tuple((name, text) for name, text in rendered if text.strip())
        if kept:
            joined = BETWEEN_PARTS.join(text for _, text in kept)
            messages.append(RenderedMessage(message.role, joined, kept))
    if not messages:
        raise InvalidInput("Every part is empty, so there is nothing to send.", field="messages")
    return messages


def check_inputs(inputs: Mapping[str, Any]) -> None:
    """Raise InvalidInput, naming the input, if one is longer than the limit."""
    for name, value in inputs.items():
        size = len(value) if isinstance(value, str) else len(json.dumps(value))
        if size > MAX_INPUT_CHARACTERS:
            raise InvalidInput(
                f"The input “{name}” has {size:,} characters; the limit is "
                f"{MAX_INPUT_CHARACTERS:,}. Shorten it, or split it over several cases.",
                field=f"inputs.{name}",
            )


def problems_of(prompt: Prompt) -> list[Problem]:
    """All that must be put right before the draft can be sent or become a version."""
    found = []
    for field, _, part in parts_of(prompt):
        error = syntax_error(part.text)
        if error is not None:
            template_error = _from_syntax(part, error, field)
            found.append(Problem(field, template_error.message, part.name, template_error.line))
    if not any(part.text.strip() for _, _, part in parts_of(prompt)):
        found.append(Problem("messages", "Every part is empty, so there is nothing to send."))
    reply = prompt.reply
    if reply.kind == "json" and reply.json_schema is not None:
        try:
            compile_schema(reply.json_schema)
        except InvalidSchema as error:
            found.append(Problem("reply.json_schema", error.message))
    if reply.kind == "label" and not reply.labels:
        found.append(Problem("reply.labels", "The reply is a label, but no labels are listed."))
    return found


def _render_part(part: Part, inputs: Mapping[str, Any], field: str) -> str:
    try:
        text = compiled(part.text).render(inputs)
    except TemplateSyntaxError as error:
        raise _from_syntax(part, error, field) from error
    except UndefinedInput as error:
        name = error.name or "?"
        if name in inputs_in(part.text):
            message = f"The part “{part.name}” needs the input “{name}”, which was not given."
        else:
            message = f"The part “{part.name}” asks for “{name}”, which an input does not have."
        raise MissingInput(message, name=name, part=part.name, field=f"inputs.{name}") from error
    except Exception as error:  # a template can raise anything: a division, a wrong filter argument
        raise TemplateError(
            f"The part “{part.name}” can't be filled in: {error or type(error).__name__}.",
            part=part.name,
            field=field,
        ) from error
    if len(text) > MAX_INPUT_CHARACTERS:
        raise InvalidInput(
            f"The part “{part.name}” fills in to {len(text):,} characters; "
            f"the limit is {MAX_INPUT_CHARACTERS:,}.",
            field=field,
        )
    return text


def _from_syntax(part: Part, error: TemplateSyntaxError, field: str) -> TemplateError:
    lines = part.text.splitlines()
    shown = lines[error.lineno - 1].strip() if 0 < error.lineno <= len(lines) else ""
    shown = shown if len(shown) <= 80 else f"{shown[:79]}…"
    what = (error.message or "it does not parse").rstrip(".")
    return TemplateError(
        f"The part “{part.name}” does not parse, line {error.lineno}: {what}."
        + (f" The line reads: {shown}" if shown else ""),
        part=part.name,
        line=error.lineno,
        field=field,
    )
