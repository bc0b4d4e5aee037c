from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")


def wait_for(condition: Callable[[], T], *, seconds: float = 30, what: str = "") -> T:
    """The first true value of `condition`; fails the test when it does not come."""
    until = time.monotonic() + seconds
    while not (found := condition()):
        assert time.monotonic() < until, f"waited {seconds} s for {what or condition}"
        time.sleep(0.05)
    return found
