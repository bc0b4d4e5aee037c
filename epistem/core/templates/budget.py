"""What filling in a prompt may cost, counted as it is spent: the same template ends at the same place
on every machine."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

MOST_STEPS = 300_000
"""Each node of a template that is worked out is a step; so are 64 characters or one item looked at."""
MOST_MADE = 6_000_000
"""Characters of text that are made; an item of a list counts for 16."""
ITEM = 16
LONGEST = 2_000_000
"""Characters of one text that is made."""
MOST_BITS = 1_024
"""The size of a whole number."""


class CostsTooMuch(Exception):
    """The budget is spent: `str()` says on what, `line` where (from 1)."""

    line: int | None = None


class Budget:
    """One for a whole prompt, all its parts and examples together."""

    __slots__ = ("made", "steps")

    def __init__(self, steps: int = MOST_STEPS, made: int = MOST_MADE) -> None:
        self.steps = steps
        self.made = made

    def step(self, number: int = 1) -> None:
        self.steps -= number
        if self.steps < 0:
            raise CostsTooMuch(
                "filling in takes too long; a loop goes round too often, or works on too much at once"
            )

    def make(self, characters: int) -> None:
        """Ask before so much is made, or as it is."""
        self.made -= characters
        if self.made < 0 or characters > LONGEST * 2:
            raise CostsTooMuch("it makes too much text, more than a prompt can hold")

    def text(self, value: str) -> str:
        """A text that has been made, paid for."""
        self.make(len(value))
        return value

    def items(self, value: list[Any]) -> list[Any]:
        """A list that has been made, paid for."""
        self.make(ITEM * len(value))
        return value

    def look_at(self, value: Any) -> int:
        """Pay for reading all of a value: whatever works on it next takes no longer than that.

        Returns about how long it is when printed, in characters.
        """
        waiting, size = [value], 0
        while waiting:
            each = waiting.pop()
            if isinstance(each, str):
                self.step(1 + len(each) // 64)
                size += len(each) + 4
            elif isinstance(each, Mapping):
                self.step(1 + len(each))
                waiting.extend(each)
                waiting.extend(each.values())
                size += 2
            elif isinstance(each, list | tuple):
                self.step(1 + len(each))
                waiting.extend(each)
                size += 2
            else:
                self.step()
                size += 20
        return size

    @staticmethod
    def number(value: Any) -> Any:
        """A number that has been worked out. Raises CostsTooMuch for one of too many digits."""
        if isinstance(value, int) and value.bit_length() > MOST_BITS:
            raise CostsTooMuch("a number in it has too many digits")
        return value
