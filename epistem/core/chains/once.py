"""What is worked out once of a part of a chain, however often a walk comes by."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

Told = TypeVar("Told")


class Once:
    """The parts are held as long as this is, so that an id stays that of the same one."""

    def __init__(self) -> None:
        self._told: dict[tuple[int, Callable[[Any], Any]], tuple[object, Any]] = {}

    def of(self, part: Any, tell: Callable[[Any], Told]) -> Told:
        """`tell` of the part. It is the same function each time, and so is what it tells."""
        key = (id(part), tell)
        found = self._told.get(key)
        if found is None:
            found = self._told[key] = (part, tell(part))
        told: Told = found[1]
        return told
