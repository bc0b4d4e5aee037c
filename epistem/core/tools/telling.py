"""What a model is told of what a tool came to."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from epistem.core import strict_json
from epistem.core.errors import InvalidInput
from epistem.core.pointers import MISSING, at_pointer


def fault_told(why: str) -> str:
    """An error, as a model can read it."""
    return json.dumps({"error": why}, ensure_ascii=False)


def shown_of(text: str, pointers: Sequence[str], most_bytes: int) -> str:
    """Of a reply what the pointers (RFC 6901) point at, as JSON: the one value, or an object by pointer. Without
    pointers the whole. Longer ones are cut, and say so. Raises InvalidInput for what is no JSON."""
    if not pointers:
        return cut_to(text, most_bytes)
    try:
        value = strict_json.loads(text)
    except (ValueError, RecursionError):
        raise InvalidInput(
            "What it answered is no JSON, so what was asked for is not in it."
        ) from None
    found = {pointer: at_pointer(value, pointer) for pointer in pointers}
    if all(each is MISSING for each in found.values()):
        raise InvalidInput(f"What it answered has nothing at {' or '.join(pointers)[:200]}.")
    there: Any = {name: each for name, each in found.items() if each is not MISSING}
    if len(pointers) == 1:
        (there,) = there.values()
    return cut_to(
        there if isinstance(there, str) else json.dumps(there, ensure_ascii=False), most_bytes
    )


def cut_to(text: str, most_bytes: int) -> str:
    encoded = text.encode("utf-8", "replace")
    if len(encoded) <= most_bytes:
        return encoded.decode()
    kept = encoded[:most_bytes].decode("utf-8", "ignore")
    return f"{kept}\n(cut here: {len(encoded):,} bytes, {most_bytes:,} are shown)"
