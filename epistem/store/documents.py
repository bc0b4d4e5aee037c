"""JSON as it is kept in a column."""

from __future__ import annotations

import json
from typing import Any

import orjson


def dumps(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, separators=(",", ":"))


def hexed(value: bytes | None) -> str:
    """Bytes as SQL has them in hexadecimal digits: nothing in it needs escaping."""
    return "NULL" if value is None else f"x'{value.hex()}'"


def packed(value: Any) -> bytes:
    """The same, quickly. Halves of surrogate pairs, which UTF-8 has not, become `?`."""
    try:
        return orjson.dumps(value)
    except TypeError:
        return dumps(value).encode("utf-8", "replace")
