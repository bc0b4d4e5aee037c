"""Faults on demand: a request's `X-Stand-In-Fault` header says what goes wrong, and how often.

    X-Stand-In-Fault: status=429, rate=0.3, retry_after=2, seed=7

Kinds: `status=CODE` an error answer; `drop=1` the connection is cut before an answer; `cut=1` the
JSON, or the stream, ends half-way; `html=1` a page instead of JSON; `slow=MS` a wait before the
answer; `stall=MS` a wait in the middle of a stream. `rate` is the share of requests it happens to
(1 when left out). With a `seed` the same requests in the same order are hit every time.
"""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import dataclass

from epistem.standin.checking import Refused

HEADER = "X-Stand-In-Fault"
KINDS = {"status": (400, 599), "drop": (0, 1), "cut": (0, 1), "html": (0, 1), "slow": (0, 60_000),
         "stall": (0, 60_000)}  # fmt: skip
ERRORS = {
    401: ("Wrong key.", "invalid_api_key"),
    429: ("Too many requests; slow down.", "rate_limit_exceeded"),
    500: ("Something failed in here.", "internal_error"),
    503: ("Overloaded; try again in a moment.", "overloaded"),
}


@dataclass(frozen=True)
class Fault:
    """What goes wrong with one request: its kind and the number given with it."""

    kind: str
    value: float
    retry_after: float | None = None


class FaultPlan:
    """Decides request by request, counting those of each seed."""

    def __init__(self) -> None:
        self._seen: Counter[str] = Counter()

    def for_request(self, header: str | None) -> Fault | None:
        """Raises Refused for a header that can't be read."""
        if not header:
            return None
        told = _read(header)
        kinds = [name for name in told if name in KINDS]
        if len(kinds) != 1:
            raise _wrong(f"name one of {', '.join(KINDS)}")
        kind = kinds[0]
        low, high = KINDS[kind]
        if not low <= told[kind] <= high:
            raise _wrong(f"{kind} must be from {low} to {high}")
        rate = told.get("rate", 1.0)
        if not 0 <= rate <= 1:
            raise _wrong("rate must be from 0 to 1")
        if self._draw(header, told.get("seed")) >= rate:
            return None
        return Fault(kind, told[kind], told.get("retry_after"))

    def _draw(self, header: str, seed: float | None) -> float:
        if seed is None:
            return random.random()
        self._seen[header] += 1
        return random.Random(f"{seed}/{self._seen[header]}").random()


def _read(header: str) -> dict[str, float]:
    told = {}
    for pair in header.split(","):
        name, _, value = pair.strip().partition("=")
        if name not in (*KINDS, "rate", "seed", "retry_after"):
            raise _wrong(f"“{name[:40]}” is not known")
        try:
            told[name] = float(value)
        except ValueError as error:
            raise _wrong(f"{name} needs a number") from error
    return told


def _wrong(why: str) -> Refused:
    return Refused(400, f"{HEADER}: {why}.", HEADER, "invalid_value")
