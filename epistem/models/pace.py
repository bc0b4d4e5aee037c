"""How many calls of one model go on at once: halved when its server asks for fewer, one more for each
round of answers that it gives (additive up, multiplicative down)."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from time import monotonic
from types import TracebackType
from typing import Self


class Pace:
    """Of one model, for the calls of one client: each is made inside of it (`async with`). Without a
    complaint nothing is held back."""

    def __init__(
        self,
        sleep: Callable[[float], Awaitable[None]],
        clock: Callable[[], float] = monotonic,
    ) -> None:
        self.most: float | None = None
        self.going = 0
        self._free_at = 0.0
        self._halved_at = 0.0
        self._sleep, self._clock = sleep, clock
        self._room = asyncio.Event()

    async def __aenter__(self) -> Self:
        """Waits while as many calls go on as are good, and while the server wants to be left alone."""
        if self.most is None and not self._free_at:
            self.going += 1
            return self
        while self._full():
            self._room.clear()
            await self._room.wait()
        self.going += 1
        try:
            if (wait := self._free_at - self._clock()) > 0:
                await self._sleep(wait)
        except BaseException:
            self._leave()
            raise
        return self

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._leave()

    def _leave(self) -> None:
        self.going -= 1
        if self.most is not None:
            self._room.set()

    def complained(self, began: float, alone_s: float | None, most_s: float) -> None:
        """The server asked for fewer calls. Those that were sent before it was heeded count as one."""
        now = self._clock()
        self._free_at = max(self._free_at, now + min(alone_s or 0.0, most_s))
        if began < self._halved_at:
            return
        self._halved_at = now
        self.most = max(1.0, (self.most or self.going) / 2)

    def answered(self) -> None:
        if self.most is not None:
            self.most += 1 / self.most
            self._room.set()

    def _full(self) -> bool:
        return self.most is not None and self.going >= int(self.most)
