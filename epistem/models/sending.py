"""One attempt to ask a model: bytes posted, the answer read within its limits."""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from datetime import UTC, datetime
from time import perf_counter
from typing import Any, NamedTuple

import aiohttp

from epistem.core.errors import WireError
from epistem.core.wire.reply import Reply
from epistem.core.wire.stream import NothingCame, Piece, is_events
from epistem.models import trouble
from epistem.models.at_once import WrittenAtOnce
from epistem.models.endpoint import Endpoint
from epistem.models.time_limits import TimeLimits
from epistem.models.trouble import CallTrace, Trouble

MAX_REPLY_BYTES = 12_000_000
TOO_LONG = f"The reply is longer than {MAX_REPLY_BYTES:,} bytes, so it was not read to the end."
LARGE = 256_000
"""Bytes of an answer from which on it needs a place among the large ones."""
LARGE_AT_ONCE = 5
_SNIFFED, MOST_BLANKS = 16, 100_000
CONNECT_S = 10.0
"""For a connection to be there, with all that TLS needs: a server that takes https for something else is silent."""
BROKEN = (TimeoutError, aiohttp.ClientError, ssl.SSLError)


class Exchange(NamedTuple):
    raw: bytes
    reply: Reply
    trace: CallTrace


class Streamed(NamedTuple):
    """The end of a stream: its bytes, its whole reply, and when the first piece came, if one did."""

    raw: bytes
    reply: Reply
    trace: CallTrace
    first_ms: float | None


class LargeReplies:
    """Places for large answers, so that many of them do not fill the memory. A task keeps its place
    until it lets go, when its answer is recorded."""

    def __init__(self, places: int = LARGE_AT_ONCE) -> None:
        self._free = asyncio.Semaphore(places)
        self._held: set[asyncio.Task[Any]] = set()

    async def take(self) -> None:
        task = asyncio.current_task()
        if task is not None and task not in self._held:
            await self._free.acquire()
            self._held.add(task)

    def let_go(self) -> None:
        if self._held and (task := asyncio.current_task()) in self._held:
            self._held.discard(task)
            self._free.release()


class Sender:
    """Keeps connections to model servers open. Use as `async with`; one a loop."""

    def __init__(self, *, keep_open: bool = True) -> None:
        """`keep_open`: connections are used again."""
        self._keep_open = keep_open
        self._session: aiohttp.ClientSession | None = None
        self._limits = TimeLimits()
        self.large = LargeReplies()

    async def start(self) -> None:
        self._session = aiohttp.ClientSession(
            connector=aiohttp.TCPConnector(limit=0, keepalive_timeout=30)
            if self._keep_open
            else aiohttp.TCPConnector(limit=0, force_close=True),
            cookie_jar=aiohttp.DummyCookieJar(),  # one call must not change another
            request_class=WrittenAtOnce,
            # Each call has its own limit.
            timeout=aiohttp.ClientTimeout(total=None, sock_connect=CONNECT_S),
            trust_env=False,
        )
        self._limits.start()

    async def stop(self) -> None:
        assert self._session is not None
        self._limits.stop()
        await self._session.close()

    async def ask(
        self, endpoint: Endpoint, body: bytes, headers: dict[str, str]
    ) -> tuple[bytes, Reply]:
        """Raises Trouble. Written out, not by `_answered`: this is the path of every call of a trial."""
        assert self._session is not None, "use the client as `async with`"
        try:
            with self._limits.of(endpoint.time_limit_ms / 1000):
                async with self._session.post(
                    endpoint.url, data=body, headers=headers, allow_redirects=False
                ) as got:
                    raw = await self._read(got)
        except BROKEN as error:
            raise trouble.of_connection(endpoint, error) from error
        if not 200 <= got.status < 300:
            raise trouble.of_status(endpoint, got, raw)
        return raw, self._whole(endpoint, raw)

    async def get(self, endpoint: Endpoint, url: str, headers: dict[str, str]) -> bytes:
        """Raises Trouble."""
        async with self._answered(endpoint, "GET", url, None, headers) as got:
            return await self._read(got)

    async def post(
        self, endpoint: Endpoint, url: str, body: bytes, headers: dict[str, str]
    ) -> bytes:
        """Raises Trouble."""
        async with self._answered(endpoint, "POST", url, body, headers) as got:
            return await self._read(got)

    async def stream(
        self, endpoint: Endpoint, body: bytes, headers: dict[str, str], attempt: int
    ) -> AsyncIterator[Piece | Streamed]:
        """Pieces as they come, then Streamed. A server that answers whole all the same gives one piece.
        Raises Trouble, and NothingCame for a stream without anything in it."""
        started_at, start = datetime.now(UTC).replace(tzinfo=None), perf_counter()
        first_ms: float | None = None

        def now_ms() -> float:
            return (perf_counter() - start) * 1000

        async with self._answered(endpoint, "POST", endpoint.url, body, headers) as got:
            begun = await self._beginning(got)
            if begun.strip() and not is_events(begun):
                raw = begun + await self._read(got, len(begun))
                reply = self._whole(endpoint, raw)
                first_ms = now_ms()
                if reply.reasoning:
                    yield Piece("reasoning", reply.reasoning)
                if reply.text:
                    yield Piece("content", reply.text)
                yield Streamed(raw, reply, CallTrace(started_at, first_ms, attempt), first_ms)
                return
            reader, chunks, size, chunk = endpoint.format.reader(), [], 0, begun
            try:
                while chunk:
                    chunks.append(chunk)
                    size += len(chunk)
                    if size > MAX_REPLY_BYTES:
                        raise Trouble(TOO_LONG, again=False)
                    for piece in reader.feed(chunk):
                        first_ms = first_ms or now_ms()
                        yield piece
                    if reader.is_done:
                        break  # whatever follows, and however long it keeps the line open
                    chunk = await got.content.readany()
                reply = reader.reply()
            except NothingCame:
                raise
            except WireError as error:
                raise Trouble(f"{endpoint.model}: {error.message}", b"".join(chunks)) from error
            except BROKEN as error:
                if not reader.is_whole:
                    raise trouble.of_connection(endpoint, error, b"".join(chunks)) from error
                reply = reader.reply()
        yield Streamed(b"".join(chunks), reply, CallTrace(started_at, now_ms(), attempt), first_ms)

    @staticmethod
    async def _beginning(got: aiohttp.ClientResponse) -> bytes:
        """Enough of the body to tell what it is."""
        begun = b""
        while len(begun.lstrip()) < _SNIFFED and (chunk := await got.content.readany()):
            begun += chunk
            if len(begun) > MOST_BLANKS:
                got.close()
                raise Trouble("The reply begins with nothing but blanks.", again=False)
        return begun

    def _whole(self, endpoint: Endpoint, raw: bytes) -> Reply:
        try:
            # It sent a stream all the same, as events or as one JSON a line.
            if is_events(raw[:_SNIFFED]) or b"}\n{" in raw[:100_000]:
                reader = endpoint.format.reader()
                reader.feed(raw)
                return reader.reply()
            return endpoint.format.parse_reply(raw)
        except WireError as error:
            raise Trouble(f"{endpoint.model}: {error.message}", raw) from error

    @asynccontextmanager
    async def _answered(
        self, endpoint: Endpoint, verb: str, url: str, body: bytes | None, headers: dict[str, str]
    ) -> AsyncIterator[aiohttp.ClientResponse]:
        """The answer to what went well, within the time limit; anything else raises Trouble."""
        assert self._session is not None, "use the client as `async with`"
        try:
            with self._limits.of(endpoint.time_limit_ms / 1000):
                async with self._session.request(
                    verb, url, data=body, headers=headers, allow_redirects=False
                ) as got:
                    if not 200 <= got.status < 300:
                        raise trouble.of_status(endpoint, got, await self._read(got))
                    yield got
        except BROKEN as error:
            raise trouble.of_connection(endpoint, error) from error

    async def _read(self, got: aiohttp.ClientResponse, read: int = 0) -> bytes:
        """The body, of which `read` bytes are read already. It is counted as it comes where its length
        is not told, or told of packed bytes."""
        told = got.content_length
        if told is not None and "Content-Encoding" not in got.headers:
            if told > MAX_REPLY_BYTES:
                got.close()
                raise Trouble(TOO_LONG, again=False)
            if told > LARGE:
                await self.large.take()
            if read == 0:
                return await got.read()
        chunks, size = [], read
        while chunk := await got.content.readany():
            chunks.append(chunk)
            size += len(chunk)
            if size > LARGE:
                await self.large.take()
            if size > MAX_REPLY_BYTES:
                got.close()
                raise Trouble(TOO_LONG, again=False)
        return b"".join(chunks)
