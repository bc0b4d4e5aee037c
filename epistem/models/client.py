"""One exchange with a model server, with its retries.

CallFailed      the call got no answer for good: `message` says why, `raw` is what came back
"""

from __future__ import annotations

import asyncio
import random
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from time import perf_counter
from types import TracebackType
from typing import NamedTuple, Protocol, Self

import aiohttp

from epistem.core.errors import EpistemError, WireError
from epistem.core.wire import chat_completions as wire
from epistem.core.wire.formats import USUAL, WireFormat, format_of
from epistem.core.wire.stream import Piece
from epistem.models.keys import Keys
from epistem.models.retry import Retry
from epistem.models.time_limits import TimeLimits
from epistem.models.turns import Turns

MAX_REPLY_BYTES = 12_000_000
_TOO_LONG = f"The reply is longer than {MAX_REPLY_BYTES:,} bytes, so it was not read to the end."


class CallFailed(EpistemError):
    def __init__(self, message: str, *, raw: bytes | None, trace: CallTrace) -> None:
        super().__init__(message, field="model")
        self.raw = raw
        self.trace = trace


class Entry(Protocol):
    """What a model list says of a model."""

    @property
    def name(self) -> str: ...
    @property
    def address(self) -> str: ...
    @property
    def key_reference(self) -> str | None: ...
    @property
    def time_limit_ms(self) -> int: ...
    @property
    def wire_format(self) -> str: ...
    @property
    def headers(self) -> Mapping[str, str]: ...
    @property
    def requests_per_minute(self) -> int | None: ...


@dataclass(frozen=True)
class Endpoint:
    """Where a model is asked. `key_reference` names a key (`models.keys`), never is one.

    `headers` are sent besides the usual ones. One client begins at most `requests_per_minute`.
    """

    model: str
    address: str
    key_reference: str | None = None
    time_limit_ms: int = 60_000
    wire_format: str = USUAL
    headers: tuple[tuple[str, str], ...] = ()
    requests_per_minute: int | None = None

    @classmethod
    def of(cls, entry: Entry, *, most_ms: int | None = None, among: int = 1) -> Endpoint:
        """That of a model of the list, waiting `most_ms` at the longest.

        Its rate is divided `among` so many clients that ask at once.
        """
        rate = entry.requests_per_minute
        limit = entry.time_limit_ms if most_ms is None else min(entry.time_limit_ms, most_ms)
        return cls(
            entry.name,
            entry.address,
            entry.key_reference,
            limit,
            entry.wire_format,
            tuple(entry.headers.items()),
            max(1, rate // among) if rate else None,
        )

    @cached_property
    def format(self) -> WireFormat:
        return format_of(self.wire_format)

    @cached_property
    def url(self) -> str:
        """Where a request is posted."""
        return self.address.rstrip("/") + self.format.path


class CallTrace(NamedTuple):
    """When the last attempt began (UTC), how long it took, and how many there were."""

    started_at: datetime
    total_ms: float
    attempts: int


class Exchange(NamedTuple):
    raw: bytes
    reply: wire.Reply
    trace: CallTrace


class Streamed(NamedTuple):
    """The end of a stream: its whole reply, and when the first piece came, if one did."""

    reply: wire.Reply
    trace: CallTrace
    first_ms: float | None


class _Transient(Exception):
    """An attempt that may go well the next time."""

    def __init__(
        self, message: str, raw: bytes | None = None, retry_after_s: float | None = None
    ) -> None:
        super().__init__(message)
        self.raw = raw
        self.retry_after_s = retry_after_s


class _Final(_Transient):
    """An attempt whose repetition would give the same."""


class ModelClient:
    """Keeps connections to model servers open. Use as `async with`; one a loop."""

    def __init__(
        self,
        *,
        in_flight: int = 64,
        retry: Retry | None = None,
        rng: random.Random | None = None,
        sleep: Callable[[float], Awaitable[None]] = asyncio.sleep,
        keys: Keys | None = None,
    ) -> None:
        self._keys = keys or Keys.of_this_server()
        self._in_flight = in_flight
        self._retry = retry or Retry()
        self._rng = rng or random.Random()
        self._sleep = sleep
        self._session: aiohttp.ClientSession | None = None
        self._limits = TimeLimits()
        self._headers: dict[Endpoint, dict[str, str]] = {}
        self._turns = Turns(sleep)

    async def __aenter__(self) -> Self:
        self._session = aiohttp.ClientSession(
            connector=aiohttp.TCPConnector(limit=self._in_flight, keepalive_timeout=30),
            cookie_jar=aiohttp.DummyCookieJar(),  # one call must not change another
            timeout=aiohttp.ClientTimeout(total=None),  # each call has its own limit
            trust_env=False,
        )
        self._limits.start()
        return self

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        assert self._session is not None
        self._limits.stop()
        await self._session.close()

    async def ask(self, endpoint: Endpoint, body: bytes) -> Exchange:
        """Post `body`; transient failures are retried with growing, jittered waits.

        Raises CallFailed when the answer is final or the attempts are used up.
        """
        headers = self._headers_for(endpoint)
        attempts = 0
        while True:
            attempts += 1
            if endpoint.requests_per_minute:
                await self._turns.take(endpoint.model, endpoint.requests_per_minute)
            started_at, start = datetime.now(UTC).replace(tzinfo=None), perf_counter()
            try:
                raw, reply = await self._attempt(endpoint, body, headers)
                total_ms = (perf_counter() - start) * 1000
                return Exchange(raw, reply, CallTrace(started_at, total_ms, attempts))
            except _Transient as failure:
                trace = CallTrace(started_at, (perf_counter() - start) * 1000, attempts)
                over = isinstance(failure, _Final) or attempts >= self._retry.attempts
                if over:
                    tried = f" Tried {attempts} times." if attempts > 1 else ""
                    raise CallFailed(f"{failure}{tried}", raw=failure.raw, trace=trace) from failure
                await self._sleep(self._retry.wait_s(attempts, failure.retry_after_s, self._rng))

    async def stream(self, endpoint: Endpoint, body: bytes) -> AsyncIterator[Piece | Streamed]:
        """Post `body`, which asks for a stream: pieces as they come, and Streamed at the end.

        What fails before the first piece is tried again as by `ask`; after it nothing is. A server
        that answers whole all the same gives its answer as one piece. Raises CallFailed.
        """
        headers, attempts = self._headers_for(endpoint), 0
        while True:
            attempts += 1
            begun = False
            if endpoint.requests_per_minute:
                await self._turns.take(endpoint.model, endpoint.requests_per_minute)
            started_at, start = datetime.now(UTC).replace(tzinfo=None), perf_counter()
            try:
                async for item in self._pieces(
                    endpoint, body, headers, started_at, start, attempts
                ):
                    begun = True
                    yield item
                return
            except _Transient as failure:
                trace = CallTrace(started_at, (perf_counter() - start) * 1000, attempts)
                over = isinstance(failure, _Final) or attempts >= self._retry.attempts
                if over or begun:
                    tried = f" Tried {attempts} times." if attempts > 1 else ""
                    raise CallFailed(f"{failure}{tried}", raw=failure.raw, trace=trace) from failure
                await self._sleep(self._retry.wait_s(attempts, failure.retry_after_s, self._rng))

    async def _pieces(
        self,
        endpoint: Endpoint,
        body: bytes,
        headers: dict[str, str],
        started_at: datetime,
        start: float,
        attempts: int,
    ) -> AsyncIterator[Piece | Streamed]:
        reader, first_ms, size = endpoint.format.reader(), None, 0
        async with self._answered(endpoint, "POST", endpoint.url, body, headers) as got:
            if got.content_type != "text/event-stream":
                reply = self._whole(endpoint, await _read_up_to(got, MAX_REPLY_BYTES))
                first_ms = (perf_counter() - start) * 1000
                for kind, text in (("reasoning", reply.reasoning), ("content", reply.text)):
                    if text:
                        yield Piece(kind, text)  # type: ignore[arg-type]
                yield Streamed(reply, CallTrace(started_at, first_ms, attempts), first_ms)
                return
            try:
                while chunk := await got.content.readany():
                    size += len(chunk)
                    if size > MAX_REPLY_BYTES:
                        raise _Final(_TOO_LONG)
                    for piece in reader.feed(chunk):
                        first_ms = first_ms or (perf_counter() - start) * 1000
                        yield piece
                reply = reader.reply()
            except WireError as error:
                raise _Transient(f"{endpoint.model}: {error.message}") from error
        trace = CallTrace(started_at, (perf_counter() - start) * 1000, attempts)
        yield Streamed(reply, trace, first_ms)

    async def offered(self, endpoint: Endpoint) -> list[str]:
        """The names of the models that the endpoint's server offers. Raises CallFailed."""
        headers, start = self._headers_for(endpoint), perf_counter()
        started_at = datetime.now(UTC).replace(tzinfo=None)
        offers = endpoint.address.rstrip("/") + wire.MODELS_PATH
        try:
            async with self._answered(endpoint, "GET", offers, None, headers) as got:
                raw = await _read_up_to(got, MAX_REPLY_BYTES)
            return wire.parse_models(raw)
        except (_Transient, WireError) as error:
            trace = CallTrace(started_at, (perf_counter() - start) * 1000, 1)
            message = error.message if isinstance(error, WireError) else str(error)
            raise CallFailed(message, raw=None, trace=trace) from error

    def _headers_for(self, endpoint: Endpoint) -> dict[str, str]:
        """The same for every call of one client, so a key is looked up once."""
        headers = self._headers.get(endpoint)
        if headers is None:
            headers = {**dict(endpoint.headers), "Content-Type": "application/json"}
            if endpoint.key_reference:
                key = self._keys.key_for(endpoint.key_reference, endpoint.address)
                headers |= endpoint.format.key_headers(key)
            self._headers[endpoint] = headers
        return headers

    async def _attempt(
        self, endpoint: Endpoint, body: bytes, headers: dict[str, str]
    ) -> tuple[bytes, wire.Reply]:
        """Written out, not by `_answered`: this is the path of every call of a trial."""
        assert self._session is not None, "use the client as `async with`"
        try:
            with self._limits.of(endpoint.time_limit_ms / 1000):
                async with self._session.post(
                    endpoint.url, data=body, headers=headers, allow_redirects=False
                ) as got:
                    raw = await _read_up_to(got, MAX_REPLY_BYTES)
        except (TimeoutError, aiohttp.ClientError) as error:
            raise _broken(endpoint, error) from error
        if got.status != 200:
            raise self._refused(endpoint, got, raw)
        return raw, self._whole(endpoint, raw)

    def _whole(self, endpoint: Endpoint, raw: bytes) -> wire.Reply:
        try:
            return endpoint.format.parse_reply(raw)
        except WireError as error:
            raise _Transient(f"{endpoint.model}: {error.message}", raw) from error

    @asynccontextmanager
    async def _answered(
        self, endpoint: Endpoint, verb: str, url: str, body: bytes | None, headers: dict[str, str]
    ) -> AsyncIterator[aiohttp.ClientResponse]:
        """The answer with status 200, within the time limit; anything else raises _Transient."""
        assert self._session is not None, "use the client as `async with`"
        try:
            with self._limits.of(endpoint.time_limit_ms / 1000):
                async with self._session.request(
                    verb, url, data=body, headers=headers, allow_redirects=False
                ) as got:
                    if got.status != 200:
                        raw = await _read_up_to(got, MAX_REPLY_BYTES)
                        raise self._refused(endpoint, got, raw)
                    yield got
        except (TimeoutError, aiohttp.ClientError) as error:
            raise _broken(endpoint, error) from error

    def _refused(self, endpoint: Endpoint, got: aiohttp.ClientResponse, raw: bytes) -> _Transient:
        message = f"{endpoint.model} answered {got.status}: {wire.error_message(raw)}"
        if got.status in self._retry.statuses:
            return _Transient(message, raw, _seconds(got.headers.get("Retry-After")))
        return _Final(message, raw)


def _broken(endpoint: Endpoint, error: Exception) -> _Transient:
    """An attempt that got no whole answer, in words."""
    name = endpoint.model
    if isinstance(error, TimeoutError):
        limit = endpoint.time_limit_ms / 1000
        return _Transient(f"{name} did not answer within {limit:g} s.")
    if isinstance(error, aiohttp.ClientConnectorError):
        return _Transient(
            f"{name} can't be reached at {endpoint.address}. Is the model server running?"
        )
    return _Transient(f"{name} broke off the answer ({type(error).__name__}).")


async def _read_up_to(got: aiohttp.ClientResponse, most: int) -> bytes:
    """The body. It is counted as it comes where its length is not told, or told of packed bytes."""
    if got.content_length is not None and "Content-Encoding" not in got.headers:
        if got.content_length <= most:
            return await got.read()
        got.close()
        raise _Final(_TOO_LONG)
    chunks, size = [], 0
    while chunk := await got.content.readany():
        chunks.append(chunk)
        size += len(chunk)
        if size > most:
            got.close()
            raise _Final(_TOO_LONG)
    return b"".join(chunks)


def _seconds(header: str | None) -> float | None:
    try:
        return float(header) if header else None
    except ValueError:
        return None
