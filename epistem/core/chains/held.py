"""What a walk holds until its end, in characters: so that no walk fills the memory that others need."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from epistem.core.chains.walked import Stepped

MOST_HELD = 20_000_000
"""Characters that the steps of a walk were given and wrote, and that its models replied."""


def new_in(stepped: Stepped, known: Mapping[str, Any]) -> int:
    """The size of what is held of a step besides its replies, and stands in no other place."""
    given = {name: each for name, each in stepped.given.items() if each is not known.get(name)}
    return size_of((given, stepped.wrote, stepped.tools, stepped.found, stepped.said))


def size_of(value: Any) -> int:
    """Characters, about: what it takes to hold it."""
    if isinstance(value, str):
        return len(value)
    if isinstance(value, Mapping):
        return sum(len(str(name)) + size_of(each) for name, each in value.items())
    if isinstance(value, list | tuple):
        return 8 * len(value) + sum(map(size_of, value))
    return 8
