"""The thread that records readings in batches, each batch one transaction."""

from __future__ import annotations

import asyncio
import time
from collections import deque
from threading import Condition, Thread

import structlog

from epistem.store import readings
from epistem.store.database import Database, must_be_repeated

log = structlog.get_logger()

BATCH = 128
LINGER_S = 0.03
LONGEST_OUTAGE_S = 600.0


class Writer:
    """Takes readings from one event loop and records them from its own thread.

    The queue is bounded: `put` waits while it is full, so a kill loses no more than that. A
    reading counts as recorded when its batch is committed. While the database is away the
    batch waits and is tried again, and the bound stops further calls.
    """

    def __init__(
        self,
        database: Database,
        trial_id: int,
        owner: str,
        loop: asyncio.AbstractEventLoop,
        *,
        bound: int,
    ) -> None:
        self._database = database
        self._trial_id = trial_id
        self._owner = owner
        self._loop = loop
        self._bound = bound
        self._queue: deque[readings.NewReading] = deque()
        self._changed = Condition()
        self._room = asyncio.Event()
        self._room.set()
        self._closing = False
        self.recorded = 0
        self.status = "running"
        self.error: BaseException | None = None
        self._thread = Thread(target=self._run, name=f"writer-{owner}", daemon=True)
        self._thread.start()

    async def put(self, reading: readings.NewReading) -> None:
        """Hand over; waits while the queue is full. Raises what stopped the writer, if it did."""
        while len(self._queue) >= self._bound and self.error is None:
            self._room.clear()
            await self._room.wait()
        if self.error is not None:
            raise self.error
        self._queue.append(reading)
        if len(self._queue) == 1 or len(self._queue) >= BATCH:
            with self._changed:
                self._changed.notify()

    async def close(self) -> None:
        """Wait until all that was handed over is recorded. Raises what stopped the writer."""
        self._closing = True
        with self._changed:
            self._changed.notify()
        await asyncio.to_thread(self._thread.join)
        if self.error is not None:
            raise self.error

    def _run(self) -> None:
        try:
            while batch := self._next_batch():
                self._record(batch)
                self._loop.call_soon_threadsafe(self._room.set)
        except BaseException as error:
            self.error = error
            self._loop.call_soon_threadsafe(self._room.set)

    def _next_batch(self) -> list[readings.NewReading]:
        """Up to BATCH readings; empty only when closing and all is taken."""
        with self._changed:
            self._changed.wait_for(lambda: self._queue or self._closing)
            until = time.monotonic() + LINGER_S
            self._changed.wait_for(
                lambda: len(self._queue) >= BATCH or self._closing,
                timeout=until - time.monotonic(),
            )
        return [self._queue.popleft() for _ in range(min(BATCH, len(self._queue)))]

    def _record(self, batch: list[readings.NewReading]) -> None:
        """All in one go; what is refused so is recorded one by one, and the one that is refused by
        itself as unanswered, with the reason: its cell is not asked again and again."""
        try:
            self._insert(batch)
        except Exception as error:
            if must_be_repeated(error):
                raise
            log.warning("a batch was refused", trial=self._trial_id, why=str(error)[:200])
            for reading in batch:
                try:
                    self._insert([reading])
                except Exception as refusal:
                    if must_be_repeated(refusal):
                        raise
                    why = f"{type(refusal).__name__}: {str(refusal)[:300]}"
                    self._insert([readings.unrecordable(reading, why)])

    def _insert(self, batch: list[readings.NewReading]) -> None:
        began, wait_s = time.monotonic(), 0.1
        while True:
            try:
                with self._database.transaction() as tx:
                    kept, self.status = readings.record(tx, self._trial_id, self._owner, batch)
                self.recorded += kept
                return
            except Exception as error:
                if not must_be_repeated(error) or time.monotonic() - began > LONGEST_OUTAGE_S:
                    raise
                log.warning("recording waits", trial=self._trial_id, why=str(error))
                time.sleep(wait_s)
                wait_s = min(wait_s * 2, 2.0)
