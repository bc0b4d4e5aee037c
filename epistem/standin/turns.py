"""Turns at working out an answer, so that nobody waits for all that somebody else has asked.

The work keeps the process busy for some milliseconds a call, and a trial has hundreds of calls in flight:
first come, first served would have a single call wait for all of them. Here each caller has one turn, then
the next caller has one. Who calls is told by a header; who does not tell it shares one caller's turns with
the others that don't, and among those each connection counts as one.
"""

from __future__ import annotations

import asyncio
from collections import OrderedDict, deque
from collections.abc import AsyncIterator, Hashable
from contextlib import asynccontextmanager
from heapq import heappop, heappush
from typing import Any, Generic, Protocol, TypeVar

from aiohttp import web

from epistem.core.wire.formats import CALLER

REMEMBERED = 10_000
"""Of so many it is known when they had their last turn."""
Item = TypeVar("Item")


class Line(Protocol[Item]):
    """What waits: anything that is given out in an order."""

    def add(self, names: tuple[Hashable, ...], item: Item) -> None: ...
    def take(self) -> Item: ...
    def __len__(self) -> int: ...


class First(Generic[Item]):
    """First come, first served."""

    def __init__(self) -> None:
        self._items: deque[Item] = deque()

    def add(self, names: tuple[Hashable, ...], item: Item) -> None:
        self._items.append(item)

    def take(self) -> Item:
        return self._items.popleft()

    def __len__(self) -> int:
        return len(self._items)


class InTurn(Generic[Item]):
    """One of each name in turn, and inside a name by the next one, to the last.

    Whoever has had no turn yet goes before those who had one, and the newest of them first, so that neither a
    crowd that came at once nor one that keeps coming has a single one wait for all of it. Of eight turns one is
    for the oldest of them, and one for those who had one: of these goes first whose last is longest ago.
    """

    def __init__(self) -> None:
        self._lines: dict[Hashable, Line[Item]] = {}
        self._new: OrderedDict[Hashable, None] = OrderedDict()
        self._had: list[tuple[int, int, Hashable]] = []
        self._last: OrderedDict[Hashable, int] = OrderedDict()
        self._turns = self._count = self._number = 0

    def __len__(self) -> int:
        return self._count

    def add(self, names: tuple[Hashable, ...], item: Item) -> None:
        name, rest = names[0], names[1:]
        self._count += 1
        if name not in self._lines:
            self._lines[name] = InTurn() if rest else First()
            self._stand(name)
        self._lines[name].add(rest, item)

    def take(self) -> Item:
        """Raises IndexError where nobody waits."""
        if not self._count:
            raise IndexError("nobody waits")
        self._turns += 1
        self._count -= 1
        if self._new and (self._turns % 8 or not self._had):
            name, _ = self._new.popitem(last=self._turns % 8 != 4)
        else:
            *_, name = heappop(self._had)
        self._last[name] = self._turns
        self._last.move_to_end(name)
        item = self._lines[name].take()
        if len(self._lines[name]):
            self._stand(name)
        else:
            del self._lines[name]
        while len(self._last) > REMEMBERED:
            self._last.popitem(last=False)
        return item

    def _stand(self, name: Hashable) -> None:
        if name not in self._last:
            self._new[name] = None
            return
        self._number += 1
        heappush(self._had, (self._last[name], self._number, name))


class Turns:
    """One works at a time. Between two turns the loop gets to read what has arrived, or all that was there before
    would come first."""

    def __init__(self) -> None:
        self._waiting: InTurn[asyncio.Future[None]] = InTurn()
        self._at_work = False

    @property
    def waiting(self) -> int:
        """How many calls wait for their turn."""
        return len(self._waiting)

    @asynccontextmanager
    async def of(self, request: web.Request) -> AsyncIterator[None]:
        """Work inside it. Raises CallerLeft where the caller has hung up meanwhile: nobody would read the answer."""
        loop = asyncio.get_running_loop()
        mine = loop.create_future()
        self._waiting.add(_names(request), mine)
        if not self._at_work:
            self._at_work = True
            loop.call_soon(self._next)
        try:
            await mine
            if request.transport is None or request.transport.is_closing():
                raise CallerLeft
            yield
        finally:
            if mine.done() and not mine.cancelled():
                loop.call_soon(self._next)

    def _next(self) -> None:
        while len(self._waiting):
            if not (turn := self._waiting.take()).done():
                turn.set_result(None)
                return
        self._at_work = False


class CallerLeft(Exception):
    """The connection was closed before its turn came."""


def _names(request: web.Request) -> tuple[Any, ...]:
    if caller := request.headers.get(CALLER):
        return (caller[:200],)
    transport = request.transport
    return ("", None if transport is None else transport.get_extra_info("peername"))
