"""Silence as a turn: nothing said for a time, to see whether and how it is followed up."""

from __future__ import annotations

import re

_TYPED = re.compile(
    r"\(\s*(?:silence|nothing said)(?:\s*(?::|for)?\s*(?:(\d{1,5})\s*(s|sec|seconds?|min|minutes?|h|hours?|days?)"
    r"|a while))?\s*\.?\s*\)",
    re.I,
)
_UNITS = {"s": "second", "m": "minute", "h": "hour", "d": "day"}


def spoken(words: str) -> str:
    """What stands in the talk for a turn: `(silence: 2 minutes)` reads “(Nothing said for 2 minutes.)”; any
    other words are themselves."""
    found = _TYPED.fullmatch(words.strip())
    if found is None:
        return words
    if found[1] is None:
        return "(Nothing said for a while.)"
    number = int(found[1])
    return f"(Nothing said for {number} {_UNITS[found[2][0].lower()]}{'' if number == 1 else 's'}.)"


def is_silence(words: str) -> bool:
    return _TYPED.fullmatch(words.strip()) is not None
