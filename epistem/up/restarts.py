"""When a process that stopped is started again: at once, and with growing waits where it stops over and over."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable

OFTEN, WITHIN_S = 5, 60.0
FIRST_S, LONGEST_S = 2.0, 60.0


class Restarts:
    """Of one process. `due` is None while it runs."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._stops: deque[float] = deque(maxlen=OFTEN)
        self._wait_s = 0.0
        self._due_at: float | None = None

    @property
    def noticed(self) -> bool:
        """Whether it is known that it stopped."""
        return self._due_at is not None

    @property
    def due(self) -> bool:
        return self._due_at is not None and self._clock() >= self._due_at

    def stopped(self) -> float:
        """It stopped, or could not be started. The seconds after which it is started again."""
        now = self._clock()
        self._stops.append(now)
        often = len(self._stops) == OFTEN and now - self._stops[0] < WITHIN_S + self._wait_s * OFTEN
        self._wait_s = min(max(FIRST_S, 2 * self._wait_s), LONGEST_S) if often else 0.0
        self._due_at = now + self._wait_s
        return self._wait_s

    def started(self) -> None:
        self._due_at = None
