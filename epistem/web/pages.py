"""Lists in pages: no answer grows with what is kept."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from pydantic import BaseModel

MOST_BYTES = 150_000
"""About how long a page is at most."""
Line = TypeVar("Line", bound=BaseModel)


def fitting(lines: Sequence[Line], most: int) -> tuple[list[Line], bool]:
    """The first `most` of the lines, fewer if they are long but at least one, and whether there are more."""
    taken: list[Line] = []
    left = MOST_BYTES
    for line in lines[:most]:
        left -= len(line.model_dump_json())
        if left < 0 and taken:
            break
        taken.append(line)
    return taken, len(lines) > len(taken)
