"""Keeping to a rate that a server allows: calls wait for their turn."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from time import monotonic


class Turns:
    """Spreads the beginnings of calls evenly, one model apart from another."""

    def __init__(
        self,
        sleep: Callable[[float], Awaitable[None]],
        clock: Callable[[], float] = monotonic,
    ) -> None:
        self._sleep = sleep
        self._clock = clock
        self._free_at: dict[str, float] = {}

    async def take(self, model: str, per_minute: int) -> None:
        """Returns when the next call to the model may begin."""
        now = self._clock()
        turn = max(now, self._free_at.get(model, now))
        self._free_at[model] = turn + 60 / per_minute
        if turn > now:
            await self._sleep(turn - now)
