"""Waiting for what comes by itself, however slow or busy the machine is."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")
PATIENCE_S = 3_600.0
"""So long a test waits for what must come, and no longer than it takes: a limit that is met is a fault of what is
tested, never of the machine. What must be quick is measured in bench/."""


def wait_for(condition: Callable[[], T], *, seconds: float = PATIENCE_S, what: str = "") -> T:
    """The first true value of `condition`; fails the test when it does not come."""
    until = time.monotonic() + seconds
    while not (found := condition()):
        assert time.monotonic() < until, f"waited {seconds:g} s for {what or condition}"
        time.sleep(0.05)
    return found
