"""Stop means that nothing goes out any more: whoever asks a model looks, just before, whether it was stopped."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from contextlib import suppress
from time import monotonic

from epistem.core.errors import EpistemError

FRESH_S = 0.05
"""So long what was seen holds: calls are many, and a stop waits for it."""


class Stopped(Exception):
    """What is asked for was stopped."""


class UnlessStopped:
    """Called before each call that goes out; raises Stopped once `going` is no more true, and from then on. While
    nobody can tell, as with a database that is away, it goes on: nobody can have stopped it then."""

    def __init__(self, going: Callable[[], bool]) -> None:
        """`going` is called in a thread."""
        self._going = going
        self._seen_at = float("-inf")
        self._looking = asyncio.Lock()
        self.stopped = False

    async def __call__(self) -> None:
        if monotonic() - self._seen_at > FRESH_S and not self.stopped:
            async with self._looking:
                await self._look()
        if self.stopped:
            raise Stopped

    async def _look(self) -> None:
        began = monotonic()
        if self.stopped or began - self._seen_at <= FRESH_S:
            return  # another has looked meanwhile
        with suppress(EpistemError):
            self.stopped = not await asyncio.to_thread(self._going) or self.stopped
        self._seen_at = began


def until_all_have_seen() -> None:
    """After a stop is kept: from then on nothing goes out."""
    time.sleep(2 * FRESH_S)
