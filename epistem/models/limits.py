"""What a model's server allows: calls at once, calls and tokens a minute."""

from __future__ import annotations

import asyncio
import re
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import AbstractAsyncContextManager, asynccontextmanager
from time import monotonic
from typing import Protocol

from epistem.models.endpoint import Endpoint

USUAL_OUTPUT = 300
"""Tokens that an answer is taken to have where its limit is not known."""

_PICTURE = re.compile(rb";base64,[A-Za-z0-9+/=]+")


class Limits(Protocol):
    """Hands out turns to ask a model that has limits (`Endpoint.limited`)."""

    def turn(
        self, endpoint: Endpoint, tokens: int, sleep: Callable[[float], Awaitable[None]]
    ) -> AbstractAsyncContextManager[None]:
        """Entered when a call of about so many tokens may begin; left when it is over. It waits by
        `sleep`, which may raise to give up."""
        ...


class Own:
    """Limits that one client keeps to by itself, for want of a place to share them."""

    def __init__(self, clock: Callable[[], float] = monotonic) -> None:
        self._clock = clock
        self._free_at: dict[str, float] = {}
        self._rooms: dict[str, asyncio.Semaphore] = {}

    @asynccontextmanager
    async def turn(
        self, endpoint: Endpoint, tokens: int, sleep: Callable[[float], Awaitable[None]]
    ) -> AsyncIterator[None]:
        most = endpoint.calls_at_once or 1_000_000
        async with self._rooms.setdefault(endpoint.model, asyncio.Semaphore(most)):
            now = self._clock()
            turn = max(now, self._free_at.get(endpoint.model, now))
            self._free_at[endpoint.model] = turn + spacing_s(endpoint, tokens)
            if turn > now:
                await sleep(turn - now)
            yield


def spacing_s(endpoint: Endpoint, tokens: int) -> float:
    """Seconds that one call of so many tokens takes of what is allowed a minute."""
    by_calls = 60 / endpoint.requests_per_minute if endpoint.requests_per_minute else 0.0
    by_tokens = 60 * tokens / endpoint.tokens_per_minute if endpoint.tokens_per_minute else 0.0
    return max(by_calls, by_tokens)


def tokens_expected(body: bytes) -> int:
    """About how many tokens a request takes: four bytes each, pictures left out, and an answer of
    usual length."""
    if b";base64," in body:
        body = _PICTURE.sub(b"", body)
    return len(body) // 4 + USUAL_OUTPUT
