"""A model's stream, run beside the thread that passes it on to a browser."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable, Iterator
from queue import Empty, SimpleQueue
from threading import Thread
from typing import Generic, TypeVar

from epistem.core.errors import EpistemError
from epistem.models.client import ModelClient
from epistem.models.retry import Retry
from epistem.work.limits import SharedLimits

HEARTBEAT_S = 10.0
Item = TypeVar("Item")


class _End:
    pass


class ModelStream(Generic[Item]):
    """What `read` yields of one answer, read in a thread of its own.

    `close` ends the call to the model: whoever stops reading stops paying.
    """

    def __init__(
        self,
        read: Callable[[ModelClient], AsyncIterator[Item]],
        retry: Retry,
        limits: SharedLimits,
    ) -> None:
        self._limits = limits
        self._items: SimpleQueue[Item | BaseException | _End] = SimpleQueue()
        self._loop = asyncio.new_event_loop()
        self._task = self._loop.create_task(self._read(read, retry))
        self._thread = Thread(target=self._run, name="model stream", daemon=True)
        self._thread.start()

    def __iter__(self) -> Iterator[Item | None]:
        """Until the end: what came next, or None when nothing came for HEARTBEAT_S.

        Raises the EpistemError that ended it.
        """
        while True:
            try:
                item = self._items.get(timeout=HEARTBEAT_S)
            except Empty:
                yield None
                continue
            if isinstance(item, BaseException):
                raise item
            if isinstance(item, _End):
                return
            yield item

    def close(self) -> None:
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._task.cancel)

    async def _read(self, read: Callable[[ModelClient], AsyncIterator[Item]], retry: Retry) -> None:
        async with ModelClient(in_flight=1, retry=retry, limits=self._limits) as client:
            async for item in read(client):
                self._items.put(item)
        self._items.put(_End())

    def _run(self) -> None:
        try:
            self._loop.run_until_complete(self._task)
        except asyncio.CancelledError:
            self._items.put(EpistemError("The answer was stopped."))
        except BaseException as error:
            self._items.put(error)
        finally:
            self._limits.close()
            self._loop.close()
