"""Places for calls in flight, given in turn to those on whose behalf they are made."""

from __future__ import annotations

import asyncio
from collections import OrderedDict, deque
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager


class Places:
    """So many at once. Of the callers that wait, each gets one in its turn, however many one of them waits for."""

    def __init__(self, most: int) -> None:
        self._free = most
        self._waiting: OrderedDict[str, deque[asyncio.Future[None]]] = OrderedDict()

    @asynccontextmanager
    async def one(self, caller: str) -> AsyncIterator[None]:
        if self._free > 0:
            self._free -= 1
        else:
            await self._wait(caller)
        try:
            yield
        finally:
            self._give_back()

    async def _wait(self, caller: str) -> None:
        mine: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self._waiting.setdefault(caller, deque()).append(mine)
        try:
            await mine
        except BaseException:
            if mine.done() and not mine.cancelled():  # it was given the place as it gave up
                self._give_back()
            raise

    def _give_back(self) -> None:
        while self._waiting:
            caller, line = self._waiting.popitem(last=False)
            while line and line[0].done():
                line.popleft()
            if not line:
                continue
            line.popleft().set_result(None)
            if line:
                self._waiting[caller] = line  # behind the others
            return
        self._free += 1
