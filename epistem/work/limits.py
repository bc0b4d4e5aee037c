"""Limits of model servers, kept by all who ask them together: through the database."""

from __future__ import annotations

import asyncio
import random
from collections.abc import AsyncIterator, Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from typing import TypeVar

from epistem.models.endpoint import Endpoint
from epistem.models.limits import spacing_s
from epistem.store import turns
from epistem.store.database import Database

Result = TypeVar("Result")
LOOK_S = 0.05
LONGEST_LOOK_S = 0.15
"""How often one looks for a free place among the calls at once, more or less; less often in time."""


class SharedLimits:
    """Turns that the database hands out. Its statements run in threads, since callers are in a loop.

    Who asks a model here stands in line: only the first of them looks for a place and takes a turn, so
    that one who gives up leaves no more than one turn unused.
    """

    def __init__(self, database: Database) -> None:
        self._database = database
        self._places = turns.Places(database.address)
        self._threads = ThreadPoolExecutor(2, thread_name_prefix="limits")
        self._lines: dict[str, asyncio.Lock] = {}

    @asynccontextmanager
    async def turn(
        self, endpoint: Endpoint, tokens: int, sleep: Callable[[float], Awaitable[None]]
    ) -> AsyncIterator[None]:
        place = None
        try:
            async with self._lines.setdefault(endpoint.model, asyncio.Lock()):
                if endpoint.calls_at_once:
                    place = await self._place(endpoint.model, endpoint.calls_at_once, sleep)
                if (spacing := spacing_s(endpoint, tokens)) > 0:
                    wait_s = await self._do(self._take_turn, endpoint.model, spacing)
                    if wait_s > 0:
                        await sleep(wait_s)
            yield
        finally:
            if place is not None:
                self._threads.submit(self._places.give_back, place)

    async def _place(self, model: str, most: int, sleep: Callable[[float], Awaitable[None]]) -> str:
        wait_s = LOOK_S
        while (place := await self._do(self._places.take, model, most)) is None:
            await sleep(wait_s * random.uniform(0.5, 1.5))
            wait_s = min(wait_s * 1.5, LONGEST_LOOK_S)
        return place

    def close(self) -> None:
        self._threads.shutdown(wait=True)
        self._places.close()

    def _take_turn(self, model: str, spacing: float) -> float:
        with self._database.transaction() as tx:
            return turns.take(tx, model, spacing)

    async def _do(self, work: Callable[..., Result], *given: object) -> Result:
        return await asyncio.get_running_loop().run_in_executor(self._threads, work, *given)
