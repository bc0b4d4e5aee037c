"""The signature of a check: two numbers may be compared when their signatures are equal."""

from __future__ import annotations

import hashlib
import json
from functools import cache
from importlib.metadata import version
from typing import Any


def format_signature(fields: dict[str, Any]) -> str:
    """`check=tone.stock_phrases|v=1|extra=["rest assured"]`: values as JSON unless plain."""
    return "|".join(f"{name}={_value(value)}" for name, value in fields.items() if value != "")


def digest(value: Any) -> str:
    """A JSON value too long to be told, by its hash: `sha256:` and 16 hexadecimal digits."""
    text = json.dumps(value, sort_keys=True, ensure_ascii=True, separators=(",", ":"))
    return f"sha256:{hashlib.sha256(text.encode()).hexdigest()[:16]}"


@cache
def with_version(library: str) -> str:
    """`jsonschema-rs-0.33.0`: the library as it is installed here."""
    return f"{library}-{version(library)}"


def _value(value: Any) -> str:
    plain = isinstance(value, str) and not set(value) & set('|="\n')
    return value if plain else json.dumps(value, ensure_ascii=False, sort_keys=True)
