"""Inputs: found in the text, typed in the prompt, checked and given a readable form when filled in."""

from __future__ import annotations

import hashlib
import json
import math
import re
from collections.abc import Iterable, Mapping
from typing import Any

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Input, Prompt, RecordField, parts_of
from epistem.core.prompts.fragments import asked_by
from epistem.core.prompts.images import checked_image
from epistem.core.shapes import listed
from epistem.core.templates.language import CALLS, KEYWORDS

MAX_INPUT_CHARACTERS = 1_000_000
NOTHING_FOUND = "(Nothing was found.)"
MAX_IMAGE_CHARACTERS = 14_000_000
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*\Z")


class Record(dict[str, Any]):
    """Prints as one `name: value` a line."""

    def __str__(self) -> str:
        return "\n".join(f"{name}: {_shown(value)}" for name, value in self.items())


class Items(list[Any]):
    """Prints as one `- item` a line."""

    def __str__(self) -> str:
        return "\n".join(f"- {_shown(item)}" for item in self)


class Passages(list[Any]):
    """Prints as numbered passages, each after its title; without any as `nothing`."""

    nothing = ""

    def __str__(self) -> str:
        if not self:
            return self.nothing
        return "\n\n".join(f"[{at}] {_passage(each)}" for at, each in enumerate(self, start=1))


class Dialogue(list[Any]):
    """Prints as one `role: text` a turn."""

    def __str__(self) -> str:
        return "\n".join(f"{turn['role']}: {turn['text']}" for turn in self)


class Image:
    """Prints as a short mark that is replaced by the image when the message is built.

    `address` is the image itself, a `data:` address. A template can print it and ask whether it is
    there, nothing else, so its megabytes never pass through one.
    """

    __slots__ = ("address", "mark")

    def __init__(self, address: str) -> None:
        self.address = address
        self.mark = f"{MARK}{hashlib.sha256(address.encode()).hexdigest()[:24]}{MARK}"

    def printed(self) -> str:
        return self.mark

    __repr__ = printed


MARK = "\ue0f1"
"""Stands on either side of an image's mark in a filled-in part; from the private use area."""


def inputs_of(prompt: Prompt) -> list[str]:
    """Every input that the parts ask for, in order of first appearance."""
    texts = (part.text for _, _, part in parts_of(prompt))
    return list(dict.fromkeys(name for text in texts for name in asked_by(text, prompt.fragments)))


def unused_inputs(prompt: Prompt) -> list[str]:
    """Inputs that are described and that no part asks for."""
    asked = set(inputs_of(prompt))
    return [each.name for each in prompt.inputs if each.name not in asked]


def name_fault(name: str) -> str | None:
    """Why an input can't have this name, in a sentence, or None."""
    if name in KEYWORDS:
        return f"“{name}” is a word of the template language. Give the input another name."
    if name in CALLS:
        return f"“{name}” is what a part calls as {name}(). Give the input another name."
    if not _NAME.match(name):
        return (
            f"“{name[:40]}” can't be the name of an input: use letters, digits and _, "
            "not beginning with a digit."
        )
    return None


def check_inputs(inputs: Mapping[str, Any]) -> None:
    """Raise InvalidInput, naming the input, if one is longer than the limit."""
    for name, value in inputs.items():
        size = len(value) if isinstance(value, str) else len(json.dumps(value))
        picture = isinstance(value, str) and value.startswith("data:image/")
        limit = MAX_IMAGE_CHARACTERS if picture else MAX_INPUT_CHARACTERS
        if size > limit:
            raise InvalidInput(
                f"The input “{name}” has {size:,} characters; the limit is "
                f"{limit:,}. Shorten it, or split it over several cases.",
                field=f"inputs.{name}",
            )


def filled(declared: Iterable[Input], inputs: Mapping[str, Any]) -> dict[str, Any]:
    """The inputs with defaults put in and the described ones in their readable form.

    Raises InvalidInput, naming the input, for a value that does not fit its kind.
    """
    check_inputs(inputs)
    values = dict(inputs)
    for each in declared:
        if values.get(each.name) in (None, "") and each.default is not None:
            values[each.name] = each.default
        if each.name in values:
            values[each.name] = _typed(each, values[each.name])
    return values


def _typed(each: Input, value: Any) -> Any:
    name, kind = each.name, each.kind
    if kind == "number":
        return _number(value, f"The input “{name}”", f"inputs.{name}")
    if kind == "choice":
        return _choice(value, each.choices, f"The input “{name}”", f"inputs.{name}")
    if kind == "image":
        return "" if value in (None, "") else Image(checked_image(value, name))
    if kind == "record":
        return _record(each, value)
    if kind in ("list", "passages", "dialogue"):
        if not isinstance(value, list):
            raise _unfit(name, "a list", value)
        if kind == "dialogue":
            fits = all(isinstance(turn, dict) and {"role", "text"} <= set(turn) for turn in value)
            if not fits:
                raise _unfit(name, "a list of turns, each with role and text", value)
            return Dialogue(value)
        return Items(value) if kind == "list" else _passages(each, value)
    return value


def _passages(each: Input, value: list[Any]) -> Passages:
    """A model is told where a look-up found nothing: an empty place would tell it nothing."""
    told = Passages(value)
    told.nothing = NOTHING_FOUND if each.look_up else ""
    return told


def _record(each: Input, value: Any) -> Record:
    if not isinstance(value, dict):
        raise _unfit(each.name, "a record", value)
    for field in each.fields:
        if field.name in value:
            _check_field(each.name, field, value[field.name])
    return Record(value)


def _check_field(name: str, field: RecordField, value: Any) -> None:
    told, at = f"“{field.name}” of the input “{name}”", f"inputs.{name}.{field.name}"
    if field.kind == "number":
        _number(value, told, at)
    elif field.kind == "choice":
        _choice(value, field.choices, told, at)
    elif field.kind == "list" and not isinstance(value, list):
        raise InvalidInput(f"{told} has to be a list.", field=at)


def _number(value: Any, told: str, field: str) -> int | float:
    if isinstance(value, str):
        try:
            value = float(value) if not re.fullmatch(r"[+-]?\d+", value.strip()) else int(value)
        except ValueError:
            value = None
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise InvalidInput(f"{told} has to be a number.", field=field)
    return value


def _choice(value: Any, choices: list[str], told: str, field: str) -> Any:
    if choices and value not in choices:
        said = str(value)[:40] or "nothing"
        raise InvalidInput(f"{told} is {said}; it can be {listed(choices)}.", field=field)
    return value


def _unfit(name: str, wanted: str, value: Any) -> InvalidInput:
    said = "a text" if isinstance(value, str) else "not"
    return InvalidInput(
        f"The input “{name}” has to be {wanted}, but it is {said}.", field=f"inputs.{name}"
    )


def _shown(value: Any) -> str:
    if isinstance(value, str):
        return value
    return json.dumps(value, ensure_ascii=False)


def _passage(value: Any) -> str:
    if isinstance(value, dict) and "text" in value:
        title = str(value.get("title", "")).strip()
        return f"{title}: {value['text']}" if title else str(value["text"])
    return _shown(value)
