"""Walks of chains: claimed from the database and carried out side by side, by one event loop in a thread of its own."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from functools import partial
from threading import Event, Thread
from typing import TypeVar

import structlog
import uvloop

from epistem.core.errors import EpistemError
from epistem.models.client import ModelClient
from epistem.models.retry import QUICK, Retry
from epistem.runner.owning import LongGone
from epistem.store.database import Address, Database, StoreDown, Transaction
from epistem.store.walks import rows
from epistem.work.limits import SharedLimits
from epistem.work.walks.at_work import WalkAtWork

log = structlog.get_logger()

AT_ONCE = 24
"""Walks that are carried out side by side."""
IN_FLIGHT = 256
POLL_S = 0.1
AWAY_S = 0.5
Kept = TypeVar("Kept")


class Walks:
    """The walks of one runner, by its name; whoever holds that runner's lock. Close it."""

    def __init__(
        self, address: Address, owner: str, *, gone_s: float = 3.0, retry: Retry = QUICK
    ) -> None:
        self._database = Database(address, connections=6)
        self._owner, self._retry = owner, retry
        self._gone = LongGone(gone_s)
        self._stop = Event()
        self._thread = Thread(target=self._run, name="walks", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        """What is being walked is left to others, who go on from its record."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(5)
        self._database.close()

    def _run(self) -> None:
        uvloop.run(self._walk_all())

    async def _walk_all(self) -> None:
        limits = SharedLimits(self._database)
        going: set[asyncio.Task[None]] = set()
        try:
            async with ModelClient(in_flight=IN_FLIGHT, retry=self._retry, limits=limits) as client:
                while not self._stop.is_set():
                    for walk_id in await self._claimed(AT_ONCE - len(going)):
                        task = asyncio.create_task(self._one(walk_id, client))
                        going.add(task)
                        task.add_done_callback(going.discard)
                    await asyncio.sleep(POLL_S)
                for task in going:
                    task.cancel()
                await asyncio.gather(*going, return_exceptions=True)
        finally:
            limits.close()

    async def _claimed(self, most: int) -> list[int]:
        try:
            await self._take_over()
            return await self._in_database(partial(rows.claim, owner=self._owner, most=most))
        except EpistemError:
            return []  # the database is away; it is asked again

    async def _one(self, walk_id: int, client: ModelClient) -> None:
        """While the database is away the walk stays this runner's, and is gone on with from its record."""
        while True:
            try:
                return await self._walk(walk_id, client)
            except StoreDown:
                await asyncio.sleep(AWAY_S)

    async def _walk(self, walk_id: int, client: ModelClient) -> None:
        try:
            at_work = await asyncio.to_thread(WalkAtWork, self._database, walk_id, self._owner)
            await at_work.run(client.calling_as(f"walk {walk_id}", at_work.unless_stopped))
        except StoreDown:
            raise
        except Exception as error:
            log.exception("a walk failed", walk=walk_id)
            why = f"Something in Epistem failed on this walk: {type(error).__name__}: {error}"
            fail = partial(rows.fail, walk_id=walk_id, owner=self._owner, why=why)
            await self._in_database(fail)

    async def _take_over(self) -> None:
        """Give back the walks of runners that have been gone for a while."""
        if not self._gone.due():
            return
        for name in self._gone.of(await self._in_database(rows.owners_gone) - {self._owner}):
            number = await self._in_database(partial(rows.give_back, owner=name))
            log.info("took over walks of a runner that is gone", walks=number)

    async def _in_database(self, work: Callable[[Transaction], Kept]) -> Kept:
        return await asyncio.to_thread(self._database.settled, work)
