"""What `loop` is inside a loop."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from epistem.core.templates.budget import Budget
from epistem.core.templates.comparing import equal
from epistem.core.templates.undefined import undefined


class Loop:
    """`at` is the place of the item in hand, from 0. `again` goes through an inner list by the same
    loop, where the loop is recursive."""

    def __init__(
        self, items: list[Any], depth: int, again: Callable[[Any], str] | None, budget: Budget
    ) -> None:
        self._items = items
        self._depth = depth
        self._again = again
        self._budget = budget
        self._changed: Any = None
        self.at = 0

    def again(self, items: Any) -> str:
        if self._again is None:
            raise TypeError("the loop calls itself, but is not marked `recursive`")
        return self._again(items)

    def offered(self, name: str) -> Any:
        """An attribute by name, as Jinja2 has them; undefined for another."""
        items, at = self._items, self.at
        known: dict[str, Callable[[], Any]] = {
            "index": lambda: at + 1,
            "index0": lambda: at,
            "revindex": lambda: len(items) - at,
            "revindex0": lambda: len(items) - at - 1,
            "first": lambda: at == 0,
            "last": lambda: at == len(items) - 1,
            "length": lambda: len(items),
            "depth": lambda: self._depth + 1,
            "depth0": lambda: self._depth,
            "previtem": lambda: items[at - 1] if at else undefined("previtem"),
            "nextitem": lambda: items[at + 1] if at + 1 < len(items) else undefined("nextitem"),
            "cycle": lambda: Helper(self._cycle),
            "changed": lambda: Helper(self._has_changed),
        }
        return known[name]() if name in known else undefined(name)

    def _cycle(self, *values: Any) -> Any:
        if not values:
            raise TypeError("cycle takes one value at least")
        return values[self.at % len(values)]

    def _has_changed(self, *values: Any) -> bool:
        if self._changed is not None and equal(self._budget, list(values), self._changed):
            return False
        self._changed = list(values)
        return True


class Helper:
    """A function of a loop, called with values."""

    def __init__(self, call: Callable[..., Any]) -> None:
        self.call = call
