"""The address that a tool asks: a template (RFC 6570) whose host is fixed, filled in with arguments.

Arguments come from a model, so they only ever fill places in the path and the query, and can't leave them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, NamedTuple
from urllib.parse import urlsplit

import uritemplate

from epistem.core.errors import InvalidInput

_PLACE = re.compile(r"\{([^{}]*)\}")
_NAMES = re.compile(r"[?&]?[A-Za-z_][A-Za-z0-9_]*(?:,[A-Za-z_][A-Za-z0-9_]*)*\Z")
_CONTROL = re.compile(r"[\x00-\x20\x7f]")
PORTS = {"http": 80, "https": 443}
MOST_ADDRESS = 8_000


class Origin(NamedTuple):
    """Where a request goes: what is allowed is allowed by this."""

    scheme: str
    host: str
    port: int

    def __str__(self) -> str:
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{self.scheme}://{host}:{self.port}"


def origin_in(address: str) -> Origin | None:
    """Of an address or a template of one; None where it has none, or carries a name and a password."""
    if _CONTROL.search(address) or "\\" in address:
        return None
    try:
        parts = urlsplit(address)
        port = parts.port or PORTS.get(parts.scheme, 0)
    except ValueError:
        return None
    if not port or not parts.hostname or "@" in parts.netloc or "{" in parts.netloc:
        return None
    return Origin(parts.scheme, parts.hostname.rstrip("."), port)


def taken_by(address: str) -> list[str]:
    """The names of the arguments that the address takes, in order."""
    found = [name for place in _PLACE.findall(address) for name in place.lstrip("?&").split(",")]
    return list(dict.fromkeys(found))


def address_fault(address: str) -> str:
    """What is wrong with a template, in a sentence; "" for nothing."""
    if not address.strip():
        return (
            "It has no address yet. Write one, as in https://boats.example/sailings/{pier}{?day}."
        )
    if re.match(r"[^/]*//[^/?#]*\{", address):
        return "The host of its address is fixed: no {…} in it. Places stand in the path and the query."
    if origin_in(address) is None:
        return f"“{address[:80]}” is no address that begins with http:// or https://."
    if re.search(r"[{}]", _PLACE.sub("", address)) or "#" in address:
        return f"“{address[:80]}” has a lone brace or a #. A place is {{name}}, or {{?name}} as a query."
    for place in _PLACE.findall(address):
        if not _NAMES.match(place):
            return (
                f"“{{{place[:40]}}}” is no place of an address: {{name}} in the path, {{?name,other}} or "
                "{&name} as a query."
            )
    return ""


def filled_in(address: str, given: Mapping[str, Any]) -> str:
    """The address for these arguments. A value of the path keeps to its place, whatever it holds. Raises
    InvalidInput naming the argument."""
    if wrong := address_fault(address):
        raise InvalidInput(wrong, field="address")
    values: dict[str, Any] = {}
    for name in taken_by(address):
        if (value := given.get(name)) is not None:
            values[name] = _as_text(name, value)
    for place in _PLACE.findall(address):
        if place[:1] in ("?", "&"):
            continue
        for name in place.split(","):
            if values.get(name, "") in ("", ".", ".."):
                raise InvalidInput(f"“{name}” has to be given: the address needs it.", field=name)
    found = str(uritemplate.expand(address, values))
    if len(found) > MOST_ADDRESS:
        raise InvalidInput(
            f"The arguments make an address of {len(found):,} characters; {MOST_ADDRESS:,} at most.",
            field="address",
        )
    return found


def _as_text(name: str, value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str | int | float):
        return str(value).encode("utf-8", "replace").decode()
    if isinstance(value, list) and all(isinstance(each, str | int | float) for each in value):
        return ",".join(map(str, value))
    raise InvalidInput(
        f"“{name}” stands in the address, so it has to be a text or a number.", field=name
    )
