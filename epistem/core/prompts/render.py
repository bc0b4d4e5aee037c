"""From a prompt and inputs to the messages that are sent."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from jinja2 import TemplateSyntaxError

from epistem.core.errors import InvalidInput, MissingInput, TemplateError, TooCostly
from epistem.core.prompts.content import Example, Message, Part, Prompt, parts_of
from epistem.core.prompts.fragments import asked_by, why_not
from epistem.core.prompts.inputs import MAX_INPUT_CHARACTERS, Image, filled
from epistem.core.prompts.shape_words import shape_in_words
from epistem.core.templates.budget import Budget, CostsTooMuch
from epistem.core.templates.filling import Filling, Trouble
from epistem.core.templates.language import KEYWORDS
from epistem.core.templates.undefined import UndefinedInput
from epistem.core.wire.reply import Content

BETWEEN_PARTS = "\n\n"


@dataclass(frozen=True)
class RenderedMessage:
    """`parts` holds (part name, its rendered text) for the parts that were not empty.

    Where images stand, `text` and `parts` hold nothing; `blocks` has texts and images in order.
    """

    role: str
    text: str
    parts: tuple[tuple[str, str], ...]
    blocks: tuple[str | Image, ...] = ()

    @property
    def content(self) -> Content:
        """What a wire format is given: the text, or its blocks in order."""
        if not self.blocks:
            return self.text
        return [
            ("image", block.address) if isinstance(block, Image) else ("text", block)
            for block in self.blocks
        ]


def render(
    prompt: Prompt, inputs: Mapping[str, Any], budget: Budget | None = None
) -> list[RenderedMessage]:
    """Fill in the parts and join those of a message by an empty line.

    A part that is off or renders to nothing is left out, and so is a message without parts.
    Examples that are sent as messages stand before the last user message. Raises TemplateError
    (naming part and line), MissingInput (naming input and part), TooCostly, or InvalidInput for an
    input that does not fit its kind, or when an input or a rendered part is too long. One budget is
    for all of it, so that no prompt takes long, however many parts and examples it has.
    """
    values = filled(prompt.inputs, inputs)
    shown = [example for example in prompt.examples if not example.off]
    calls = {
        "reply_shape": lambda: shape_in_words(prompt.reply),
        "examples": lambda: examples_as_text(shown),
    }
    asking = _last_user(prompt) if prompt.examples_as == "messages" and shown else None
    messages: list[RenderedMessage] = []
    filling = Filling(prompt.fragments, budget)

    def add(message: Message, given: Mapping[str, Any], named: str = "") -> None:
        told = {**calls, **given}
        rendered = [
            (named or part.name, _render_part(part, told, prompt, filling))
            for part in message.parts
            if not part.off
        ]
        kept = tuple((name, text) for name, text in rendered if text.strip())
        if kept:
            messages.append(_message(message.role, kept, given))

    for message in prompt.messages:
        if message is asking:
            for number, example in enumerate(shown, start=1):
                own = [each for each in prompt.inputs if each.name in example.inputs]
                given = {**values, **filled(own, example.inputs)}
                add(message, given, f"Example {number}")
                answer = (f"Answer of example {number}", example.answer)
                messages.append(RenderedMessage("assistant", example.answer, (answer,)))
        add(message, values)
    if not messages:
        raise InvalidInput("Every part is empty, so there is nothing to send.", field="messages")
    return messages


def plain_text(text: str) -> str:
    """What the template language makes of a text without marks: plain line ends, the last one gone."""
    return text.replace("\r\n", "\n").replace("\r", "\n").removesuffix("\n")


def examples_as_text(examples: list[Example]) -> str:
    """The examples as a part shows them: their inputs, then the answer, numbered."""
    told = []
    for number, example in enumerate(examples, start=1):
        given = [f"{name}: {value}" for name, value in example.inputs.items()]
        told.append("\n".join([f"Example {number}", *given, f"Answer: {example.answer}"]))
    return "\n\n".join(told)


def from_syntax(part: Part, error: TemplateSyntaxError, field: str) -> TemplateError:
    """The error in words for the person who wrote the part."""
    lines = part.text.splitlines()
    shown = lines[error.lineno - 1].strip() if 0 < error.lineno <= len(lines) else ""
    keyword = re.search(r"\{\{-?\s*(\w+)", shown)
    shown = shown if len(shown) <= 80 else f"{shown[:79]}…"
    what = (error.message or "it does not parse").rstrip(".")
    if keyword and keyword[1] in KEYWORDS:
        what = f"“{keyword[1]}” is a word of the template language, so no input can be called that"
    return TemplateError(
        f"The part “{part.name}” does not parse, line {error.lineno}: {what}."
        + (f" The line reads: {shown}" if shown else ""),
        part=part.name,
        line=error.lineno,
        field=field,
    )


def _last_user(prompt: Prompt) -> Message | None:
    return next((message for message in reversed(prompt.messages) if message.role == "user"), None)


def _message(
    role: str, kept: tuple[tuple[str, str], ...], given: Mapping[str, Any]
) -> RenderedMessage:
    images = {value.mark: value for value in given.values() if isinstance(value, Image)}
    joined = BETWEEN_PARTS.join(text for _, text in kept)
    if not any(mark in joined for mark in images):
        return RenderedMessage(role, joined, kept)
    cut = re.compile("(" + "|".join(map(re.escape, images)) + ")")
    pieces = [images.get(piece, piece.strip()) for piece in cut.split(joined)]
    blocks = tuple(piece for piece in pieces if piece)
    plain = tuple((name, cut.sub("", text)) for name, text in kept)
    return RenderedMessage(role, cut.sub("", joined), plain, blocks)


def _render_part(part: Part, inputs: Mapping[str, Any], prompt: Prompt, filling: Filling) -> str:
    if "{" not in part.text:
        return _sendable(plain_text(part.text), part, prompt)
    try:
        text = filling.fill_in(part.text, inputs)
    except TemplateSyntaxError as error:
        raise from_syntax(part, error, _field_of(part, prompt)) from error
    except UndefinedInput as error:
        name = error.name or "?"
        if name in asked_by(part.text, prompt.fragments):
            message = f"The part “{part.name}” needs the input “{name}”, which was not given."
        else:
            message = f"The part “{part.name}” asks for “{name}”, which an input does not have."
        raise MissingInput(
            message, name=name, part=part.name, line=error.line, field=f"inputs.{name}"
        ) from error
    except (CostsTooMuch, Trouble) as error:
        why = why_not(part.text, prompt.fragments) or (
            f"The part “{part.name}” can't be filled in, line {error.line}: {error}."
        )
        kind = TooCostly if isinstance(error, CostsTooMuch) else TemplateError
        raise kind(why, part=part.name, line=error.line, field=_field_of(part, prompt)) from error
    if len(text) > MAX_INPUT_CHARACTERS:
        raise InvalidInput(
            f"The part “{part.name}” fills in to {len(text):,} characters; "
            f"the limit is {MAX_INPUT_CHARACTERS:,}.",
            field=_field_of(part, prompt),
        )
    return _sendable(text, part, prompt)


def _sendable(text: str, part: Part, prompt: Prompt) -> str:
    """The text, if it can be written in UTF-8, as half of a surrogate pair can't."""
    try:
        text.encode()
    except UnicodeEncodeError as error:
        raise TemplateError(
            f"The part “{part.name}” fills in to half a character, which can't be sent "
            f"(character {error.start + 1:,}).",
            part=part.name,
            line=text.count("\n", 0, error.start) + 1,
            field=_field_of(part, prompt),
        ) from error
    return text


def _field_of(part: Part, prompt: Prompt) -> str:
    return next(field for field, _, each in parts_of(prompt) if each is part)
