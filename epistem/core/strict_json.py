"""JSON as the standard has it (RFC 8259), of texts from outside: what is no number, as NaN and Infinity, is no JSON."""

from __future__ import annotations

import json
from math import isfinite
from typing import Any


def loads(text: str | bytes) -> Any:
    """Raises ValueError, and RecursionError for what is nested too deeply."""
    if isinstance(text, bytes):
        return DECODER.decode(text.decode())
    return DECODER.decode(text)


def _none(name: str) -> Any:
    raise ValueError(f"{name} is no number that JSON has")


def _finite(told: str) -> float:
    value = float(told)
    if not isfinite(value):
        raise ValueError(f"{told[:20]} is too large for a number")
    return value


DECODER = json.JSONDecoder(parse_constant=_none, parse_float=_finite)
