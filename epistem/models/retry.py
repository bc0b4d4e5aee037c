"""When to try again, and how long to wait before."""

from __future__ import annotations

import random
from dataclasses import dataclass


@dataclass(frozen=True)
class Retry:
    """Waits grow from `first_s` by doubling to `most_s`; `attempts` counts the first one too."""

    attempts: int = 5
    first_s: float = 0.25
    most_s: float = 20.0

    def wait_s(self, attempt: int, retry_after_s: float | None, rng: random.Random) -> float:
        """Seconds to wait after the failed attempt number `attempt` (from 1).

        Half of the wait is fixed and half is drawn, so that many callers that failed together
        don't come back together. A server's own Retry-After is a floor, up to `most_s`.
        """
        full = min(self.most_s, self.first_s * 2.0 ** (attempt - 1))
        drawn = full / 2 + rng.uniform(0, full / 2)
        return max(drawn, min(retry_after_s or 0.0, self.most_s))


QUICK = Retry(attempts=2, first_s=0.3, most_s=2.0)
"""Where somebody waits for the answer."""
