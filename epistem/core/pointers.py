"""JSON pointers (RFC 6901)."""

from __future__ import annotations

from typing import Any

MISSING = object()
"""In the place of what is not there."""


def at_pointer(value: Any, pointer: str) -> Any:
    """RFC 6901. A value of its own for what is not there."""
    for step in pointer.split("/")[1:]:
        key = step.replace("~1", "/").replace("~0", "~")
        if isinstance(value, dict) and key in value:
            value = value[key]
        elif isinstance(value, list) and key.isdecimal() and len(key) < 8 and int(key) < len(value):
            value = value[int(key)]
        else:
            return MISSING
    return value
