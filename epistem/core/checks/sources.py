"""What an answer may draw on: the inputs of its case, piece by piece, each with a name to refer to."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

MOST_PIECES = 2_000
PICTURE = "data:image/"


class Source(NamedTuple):
    """`ref` is an input's name, or `notices[2]` for one of a list, counted from 1 as it is shown."""

    ref: str
    text: str


def sources_of(inputs: Mapping[str, Any], names: Sequence[str] = ()) -> list[Source]:
    """Of these inputs, or of all: a list gives each item, a talk what the person said. Pictures are left out."""
    found: list[Source] = []
    for name, value in inputs.items():
        if names and name not in names:
            continue
        for source in _pieces(name, value):
            found.append(source)
            if len(found) >= MOST_PIECES:
                return found
    return found


def pictures_of(inputs: Mapping[str, Any]) -> list[str]:
    """The `data:` addresses of pictures among the inputs."""
    return [v for v in inputs.values() if isinstance(v, str) and v.startswith(PICTURE)]


def in_words(value: Any) -> str:
    """A value as one would read it: `adult: 4.5` a line for a record, a passage with its title."""
    if isinstance(value, str):
        return "" if value.startswith(PICTURE) else value
    if isinstance(value, dict):
        if isinstance(value.get("text"), str) and set(value) <= {"title", "text", "id", "role"}:
            return "\n".join(str(value[key]) for key in ("title", "text") if value.get(key))
        return "\n".join(f"{key}: {in_words(each)}" for key, each in value.items())
    if isinstance(value, list):
        return "\n".join(in_words(each) for each in value)
    return "" if value is None else json.dumps(value)


def _pieces(name: str, value: Any) -> Iterator[Source]:
    if isinstance(value, list):
        for at, each in enumerate(value, start=1):
            if isinstance(each, dict) and each.get("role") == "assistant":
                continue
            if text := in_words(each):
                yield Source(f"{name}[{at}]", text)
    elif text := in_words(value):
        yield Source(name, text)
