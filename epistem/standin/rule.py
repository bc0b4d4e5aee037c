"""An instruction that was found in a request."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Rule:
    """One instruction found. `distance` is how many tokens of the request follow it, `shown` the share
    of the worked examples that keep to it."""

    name: str
    value: Any
    words: str
    distance: float = 0.0
    ease: float = 0.0
    contradicted: bool = False
    shown: float = 0.0
