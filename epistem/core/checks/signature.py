"""The signature of a check: two numbers may be compared when their signatures are equal."""

from __future__ import annotations

import json
from typing import Any


def format_signature(fields: dict[str, Any]) -> str:
    """`check=tone.stock_phrases|v=1|extra=["rest assured"]`: values as JSON unless plain."""
    return "|".join(f"{name}={_value(value)}" for name, value in fields.items() if value != "")


def _value(value: Any) -> str:
    plain = isinstance(value, str) and not set(value) & set('|="\n')
    return value if plain else json.dumps(value, ensure_ascii=False, sort_keys=True)
