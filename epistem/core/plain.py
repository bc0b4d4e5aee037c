"""What people send, before anything reads it: plain JSON values that everything after can bear."""

from __future__ import annotations

import math
from typing import Any

from epistem.core.errors import InvalidInput

DEEPEST = 60
"""Levels of lists and records inside each other."""
LARGEST = 2**53 - 1
"""Whole numbers beyond have no canonical form (RFC 8785, which takes numbers as doubles)."""


def check_plain(value: Any, *, at: str = "") -> None:
    """Raise InvalidInput, naming the field, for what can't be kept: half of a surrogate pair, a number
    that is none or too large, lists and records nested too deeply."""
    waiting: list[tuple[Any, tuple[str | int, ...]]] = [(value, (at,) if at else ())]
    while waiting:
        each, path = waiting.pop()
        if isinstance(each, str):
            if not is_whole(each):
                raise InvalidInput(
                    "It holds half a character (one half of a surrogate pair), which is no text.",
                    field=_told(path),
                )
        elif isinstance(each, float):
            if not math.isfinite(each):
                raise InvalidInput(f"{each} is not a number that JSON has.", field=_told(path))
        elif isinstance(each, int):
            if abs(each) > LARGEST:
                raise InvalidInput(
                    "The number is too large: beyond ±9,007,199,254,740,991 not every reader gets the "
                    "same one. Write it as text.",
                    field=_told(path),
                )
        elif isinstance(each, dict | list):
            if len(path) > DEEPEST:
                raise InvalidInput(
                    f"It is nested too deeply: more than {DEEPEST} lists and records inside each other.",
                    field=_told(path[:4]),
                )
            if isinstance(each, list):
                waiting.extend((inner, (*path, place)) for place, inner in enumerate(each))
                continue
            for key, inner in each.items():
                if not is_whole(str(key)):
                    raise InvalidInput(
                        "The name of a field in it holds half a character.", field=_told(path)
                    )
                waiting.append((inner, (*path, key)))


def is_whole(text: str) -> bool:
    if text.isascii():
        return True
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def _told(path: tuple[str | int, ...]) -> str | None:
    return ".".join(str(step)[:80] for step in path) or None
