"""Waiting while the database is away: an outage of ours is no answer of a tool and no outcome of a walk."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from time import monotonic, sleep
from typing import TypeVar

from epistem.store.database import StoreDown

LOOKS_S = 0.4
LONGEST_S = 60.0
"""So long one waits where somebody may be looking on."""
Done = TypeVar("Done")


async def once_back(doing: Callable[[], Awaitable[Done]], longest_s: float = LONGEST_S) -> Done:
    """What `doing` gives, done again while the database is away. Raises StoreDown after a longer outage."""
    until = monotonic() + longest_s
    while True:
        try:
            return await doing()
        except StoreDown:
            if monotonic() >= until:
                raise
            await asyncio.sleep(LOOKS_S)


def once_there(doing: Callable[[], Done], longest_s: float) -> Done:
    """The same for who waits for nothing else meanwhile."""
    until = monotonic() + longest_s
    while True:
        try:
            return doing()
        except StoreDown:
            if monotonic() >= until:
                raise
            sleep(LOOKS_S)
