"""Two answers held against each other: the same thing in both, and which of the two is more."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from epistem.core.checks.structure.find_json import find_json
from epistem.core.pointers import MISSING, at_pointer
from epistem.core.prompts.content import ReplyShape
from epistem.core.words import folded

LADDERS = (
    ("none", "low", "normal", "high", "urgent"),
    ("none", "low", "medium", "high", "critical"),
    ("never", "rarely", "sometimes", "often", "always"),
    ("no", "maybe", "yes"),
    ("minor", "moderate", "major", "severe"),
)
"""Words whose order is plain, whatever order a reply shape lists them in."""
MOST_SHOWN = 80


class NotThere(Exception):
    """The answer does not have what is to be compared; says why."""


class Two(NamedTuple):
    """The same thing in the answer to the original, and in this one."""

    was: Any
    now: Any


@dataclass(frozen=True)
class Reader:
    """Reads things out of answers of one reply shape."""

    reply: ReplyShape

    def read(self, text: str, what: str) -> Any:
        """A field of a JSON reply, by its name or pointer; "" is all of a text or JSON reply, or the label.
        Raises NotThere."""
        if not what and self.reply.kind != "json":
            return text.strip()
        found = find_json(text)
        if found is None:
            raise NotThere("there is no JSON in it")
        if not what:
            return found.value
        pointer = what if what.startswith("/") else "/" + what.replace("~", "~0")
        value = at_pointer(found.value, pointer)
        if value is MISSING:
            raise NotThere(f"it has no {what}")
        return value

    def ladder(self, two: Two, what: str) -> Sequence[str] | None:
        """Words in their order, from less to more, that has both; None where there is none."""
        if not (isinstance(two.was, str) and isinstance(two.now, str)):
            return None
        both = {folded(two.was), folded(two.now)}
        for words in (*LADDERS, self._choices(what)):
            told = [folded(word) for word in words]
            if both <= set(told):
                return told
        return None

    def _choices(self, what: str) -> list[str]:
        """As the reply shape lists them."""
        if not what:
            return list(self.reply.labels) if self.reply.kind == "label" else []
        schema: Any = self.reply.json_schema
        for step in what.removeprefix("/").split("/"):
            fields = schema.get("properties") if isinstance(schema, dict) else None
            schema = fields.get(step) if isinstance(fields, dict) else None
        choices = schema.get("enum") if isinstance(schema, dict) else None
        return [each for each in choices or [] if isinstance(each, str)]


def rises(two: Two, ladder: Sequence[str] | None) -> int | None:
    """1 where it became more, −1 less, 0 neither; None where there is no more or less."""
    if _is_number(two.was) and _is_number(two.now):
        return int(two.now > two.was) - int(two.now < two.was)
    if isinstance(two.was, bool) and isinstance(two.now, bool):
        return int(two.now) - int(two.was)
    if isinstance(two.was, list) and isinstance(two.now, list):
        return (len(two.now) > len(two.was)) - (len(two.now) < len(two.was))
    if ladder is not None:
        was, now = ladder.index(folded(two.was)), ladder.index(folded(two.now))
        return (now > was) - (now < was)
    return None


def equal(one: Any, other: Any) -> bool:
    """Case and white space of texts do not count, nor whether a number is written 3 or 3.0."""
    if isinstance(one, str) and isinstance(other, str):
        return " ".join(one.split()).casefold() == " ".join(other.split()).casefold()
    if isinstance(one, list) and isinstance(other, list):
        return len(one) == len(other) and all(map(equal, one, other))
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(equal(one[name], other[name]) for name in one)
    if _is_number(one) and _is_number(other):
        return bool(one == other)
    return type(one) is type(other) and bool(one == other)


def shown(value: Any) -> str:
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    text = " ".join(text.split())
    return text if len(text) <= MOST_SHOWN else f"{text[: MOST_SHOWN - 1]}…"


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)
