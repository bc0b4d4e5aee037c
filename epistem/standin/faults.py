"""Faults on demand: a request's `X-Stand-In-Fault` header, or the model's entry, says what goes wrong.

    X-Stand-In-Fault: status=429, rate=0.3, retry_after=2, seed=7

KINDS tells what there is. `rate` is the share of requests it happens to (1 when left out), `after` how
many requests with this very header go well before it begins. With a `seed` the same requests in the
same order are hit every time. `spread` makes a wait vary log-normally.
"""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import dataclass

from epistem.standin.checking import Refused

HEADER = "X-Stand-In-Fault"
KINDS = {
    "status": (400, 599),  # an error answer, with `retry_after` if given
    "drop": (0, 1),  # the connection is cut before an answer
    "cut": (0, 1),  # the JSON, or the stream, ends half-way
    "html": (0, 1),  # a page instead of JSON
    "slow": (0, 60_000),  # ms to wait before the answer
    "first": (0, 60_000),  # ms to wait before the first token of a stream
    "stall": (0, 60_000),  # ms to wait in the middle of a stream
    "unshaped": (0, 1),  # an answer that ignores the reply schema
    "filter": (0, 1),  # an answer held back by the service's filter
    "changed": (0, 1),  # the model answers as it does after a silent change
}
MORE = ("rate", "seed", "retry_after", "after", "spread")
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
    spread: float = 0.0

    @property
    def wait_s(self) -> float:
        """Seconds of a fault that takes time; drawn anew each time where it has a spread."""
        return min(self.value * random.lognormvariate(0, self.spread), 120_000) / 1000


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
        spread = told.get("spread", 0.0)
        if not 0 <= spread <= 3:
            raise _wrong("spread must be from 0 to 3")
        self._seen[header] += 1
        number, seed = self._seen[header], told.get("seed")
        drawn = random.random() if seed is None else random.Random(f"{seed}/{number}").random()
        if drawn >= rate or number <= told.get("after", 0) or not told[kind]:
            return None
        return Fault(kind, told[kind], told.get("retry_after"), spread)


def _read(header: str) -> dict[str, float]:
    told = {}
    for pair in header.split(","):
        name, _, value = pair.strip().partition("=")
        if name not in (*KINDS, *MORE):
            raise _wrong(f"“{name[:40]}” is not known")
        try:
            told[name] = float(value)
        except ValueError as error:
            raise _wrong(f"{name} needs a number") from error
    return told


def _wrong(why: str) -> Refused:
    return Refused(400, f"{HEADER}: {why}.", HEADER, "invalid_value")
