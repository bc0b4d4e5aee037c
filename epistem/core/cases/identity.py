"""By what cases are told apart: all that they are, what they ask, and what they are called elsewhere."""

from __future__ import annotations

import hashlib
from typing import Any

import rfc8785

from epistem.core.cases.content import Case


def asked_hash(case: Case) -> bytes:
    """32 bytes: equal for cases that ask the same, whatever is expected of the answer."""
    asked: dict[str, Any] = {"inputs": case.inputs, "turns": case.turns}
    if case.person is not None:
        asked["person"] = case.person.to_json()
    if case.tool_answers:
        asked["tool_answers"] = [each.to_json() for each in case.tool_answers]
    if case.step:
        asked["step"] = case.step
    return hashlib.sha256(rfc8785.dumps(asked)).digest()


def says_the_same(one: Case, other: Case) -> bool:
    """Wherever each came from."""
    return one.model_copy(update={"origin": ""}) == other.model_copy(update={"origin": ""})


def differing(one: Case, other: Case) -> list[str]:
    """What differs between two, as `inputs.message`, `expect.label` or `tags`."""
    was, now = _fields(one), _fields(other)
    return [name for name in dict.fromkeys([*was, *now]) if was.get(name) != now.get(name)]


def _fields(case: Case) -> dict[str, Any]:
    told: dict[str, Any] = {}
    for name, value in case.to_json().items():
        if name in ("inputs", "expect"):
            told |= {f"{name}.{inner}": each for inner, each in value.items()}
        else:
            told[name] = value
    return told
