"""The thread that records readings in batches, each batch one transaction."""

from __future__ import annotations

import asyncio
import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from threading import Condition, Thread

import structlog

from epistem.store import bodies, readings
from epistem.store.database import Database, must_be_repeated
from epistem.store.pairs import Pairing
from epistem.store.readings import Batch, CallsSoFar, NewReading

log = structlog.get_logger()

BATCH = 128
BATCH_BYTES = 8_000_000
QUEUE_BYTES = 32_000_000
LINGER_S = 0.03
LONGEST_OUTAGE_S = 600.0
MOST_KNOWN = 100_000
Item = NewReading | CallsSoFar


@dataclass(frozen=True)
class Recorded:
    """What all readings of a shard have in common (see `store.readings.Batch`)."""

    trial_id: int
    owner: str
    verdicts: int
    entries: Sequence[int | None]
    scored: Sequence[int] = ()
    pairing: Pairing | None = None


class Writer:
    """Takes readings, and calls of readings that go on, from one event loop and records them from its
    own thread.

    The queue is bounded in number and in bytes: `put` waits while it is full, so a kill loses no more
    than that. What is put counts as recorded when its batch is committed. While the database is away
    the batch waits and is tried again, and the bound stops further calls.
    """

    def __init__(
        self,
        database: Database,
        recorded: Recorded,
        loop: asyncio.AbstractEventLoop,
        *,
        bound: int,
    ) -> None:
        self._database = database
        self._of = recorded
        self._loop = loop
        self._bound = bound
        self._queue: deque[tuple[Item, int]] = deque()
        self._bytes = 0
        self._known: dict[bytes, int] = {}
        self._changed = Condition()
        self._room = asyncio.Event()
        self._room.set()
        self._closing = False
        self.recorded = 0
        self.status = "running"
        self.error: BaseException | None = None
        self._thread = Thread(target=self._run, name=f"writer-{recorded.owner}", daemon=True)
        self._thread.start()

    async def put(self, item: Item) -> None:
        """Hand over; waits while the queue is full. Raises what stopped the writer, if it did."""
        while self._full and self.error is None:
            self._room.clear()
            await self._room.wait()
        if self.error is not None:
            raise self.error
        size = _size(item)
        self._bytes += size
        self._queue.append((item, size))
        if len(self._queue) == 1 or len(self._queue) >= BATCH or self._bytes > BATCH_BYTES:
            with self._changed:
                self._changed.notify()

    @property
    def _full(self) -> bool:
        return len(self._queue) >= self._bound or self._bytes > QUEUE_BYTES

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
                self._record([item for item, _ in batch])
                size = sum(size for _, size in batch)
                self._loop.call_soon_threadsafe(self._make_room, size)
        except BaseException as error:
            self.error = error
            self._loop.call_soon_threadsafe(self._room.set)

    def _make_room(self, size: int) -> None:
        """In the loop, where the bytes are counted."""
        self._bytes -= size
        self._room.set()

    def _next_batch(self) -> list[tuple[Item, int]]:
        """Up to BATCH readings and BATCH_BYTES; empty only when closing and all is taken."""
        with self._changed:
            self._changed.wait_for(lambda: self._queue or self._closing)
            until = time.monotonic() + LINGER_S
            self._changed.wait_for(
                lambda: len(self._queue) >= BATCH or self._bytes > BATCH_BYTES or self._closing,
                timeout=until - time.monotonic(),
            )
        batch: list[tuple[Item, int]] = []
        size = 0
        while self._queue and len(batch) < BATCH:
            size += self._queue[0][1]
            if batch and size > BATCH_BYTES:
                break
            batch.append(self._queue.popleft())
        return batch

    def _record(self, batch: list[Item]) -> None:
        """All in one go; what is refused so is recorded one by one, and the one that is refused by
        itself as unanswered, with the reason: its cell is not asked again and again."""
        try:
            self._insert(batch)
        except Exception as error:
            if must_be_repeated(error):
                raise
            log.warning("a batch was refused", trial=self._of.trial_id, why=repr(error)[:200])
            for item in batch:
                try:
                    self._insert([item])
                except Exception as refusal:
                    if must_be_repeated(refusal):
                        raise
                    if isinstance(item, NewReading):
                        why = f"{type(refusal).__name__}: {str(refusal)[:300]}"
                        self._insert([readings.unrecordable(item, why)])

    def _insert(self, batch: list[Item]) -> None:
        began, wait_s = time.monotonic(), 0.1
        while True:
            try:
                told = Batch(
                    self._of.trial_id,
                    self._of.owner,
                    self._of.verdicts,
                    self._of.entries,
                    self._body_ids(batch),
                    [item for item in batch if isinstance(item, NewReading)],
                    [item for item in batch if isinstance(item, CallsSoFar)],
                    self._of.scored,
                    self._of.pairing,
                )
                kept, self.status = readings.record(self._database, told)
                self.recorded += kept
                return
            except Exception as error:
                if not must_be_repeated(error) or time.monotonic() - began > LONGEST_OUTAGE_S:
                    raise
                log.warning("recording waits", trial=self._of.trial_id, why=str(error))
                time.sleep(wait_s)
                wait_s = min(wait_s * 2, 2.0)

    def _body_ids(self, batch: list[Item]) -> dict[bytes, int]:
        """The bodies of the batch are kept first; most of them are known already."""
        wanted = {c.body.hash: c.body for item in batch for c in item.calls if c.body is not None}
        missing = [body for digest, body in wanted.items() if digest not in self._known]
        if missing:
            with self._database.transaction() as tx:
                found = bodies.keep(tx, missing)
            if len(self._known) > MOST_KNOWN:
                self._known.clear()
                return self._body_ids(batch)
            self._known |= found
        return {digest: self._known[digest] for digest in wanted}


def _size(item: Item) -> int:
    """About how many bytes it takes on its way to the database, apart from shared bodies."""
    size = 500 + sum(len(call.reply or b"") for call in item.calls)
    if isinstance(item, NewReading):
        size += len(item.answer or "")
    return size
