"""Asking a model, with its retries and within its limits."""

from __future__ import annotations

import asyncio
import random
from collections.abc import AsyncIterator, Awaitable, Callable, Sequence
from contextlib import AbstractAsyncContextManager, asynccontextmanager, nullcontext
from copy import copy
from datetime import UTC, datetime
from secrets import token_hex
from time import monotonic
from types import TracebackType
from typing import Literal, Self

from epistem.core.errors import EpistemError, WireError
from epistem.core.wire import chat_completions as wire
from epistem.core.wire import embeddings
from epistem.core.wire.formats import CALLER
from epistem.core.wire.secrets import Masker, Secrets
from epistem.core.wire.stream import NothingCame, Piece
from epistem.models.endpoint import Endpoint
from epistem.models.keys import Keys
from epistem.models.limits import Limits, Own, tokens_expected
from epistem.models.pace import Pace
from epistem.models.places import Places
from epistem.models.retry import Retry
from epistem.models.sending import Exchange, Sender, Streamed
from epistem.models.trouble import CallFailed, CallTrace, Trouble

MayAsk = Callable[[], Awaitable[None]]


class ModelClient:
    """Use as `async with`; one a loop."""

    def __init__(
        self,
        *,
        in_flight: int = 64,
        retry: Retry | None = None,
        rng: random.Random | None = None,
        sleep: Callable[[float], Awaitable[None]] = asyncio.sleep,
        keys: Keys | None = None,
        limits: Limits | None = None,
        may_ask: MayAsk | None = None,
        caller: str = "",
        keep_open: bool = True,
    ) -> None:
        """`sleep` is how any wait between attempts is spent, and `may_ask` is asked once it is a call's
        turn, just before it goes out: either may raise, to give up. `caller` names on whose behalf it asks,
        such as a trial's that several clients carry out; without one a client is a caller of its own.
        `keep_open`: connections are used again, which a server may have closed meanwhile."""
        self._keys = keys or Keys.of_this_server()
        self._retry = retry or Retry()
        self._rng = rng or random.Random()
        self._sleep = sleep
        self._sender = Sender(keep_open=keep_open)
        self._places = Places(in_flight)
        self._limits = limits or Own()
        self._may_ask = may_ask or _always
        self._caller = caller or token_hex(8)
        self._headers: dict[Endpoint, tuple[dict[str, str], Secrets]] = {}
        self._paces: dict[str, Pace] = {}

    async def __aenter__(self) -> Self:
        await self._sender.start()
        return self

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        await self._sender.stop()

    def calling_as(self, caller: str, may_ask: MayAsk | None = None) -> Self:
        """The same client, with all that it holds, asking on behalf of this caller."""
        other = copy(self)
        other._caller, other._headers = caller, {}
        other._may_ask = may_ask or self._may_ask
        return other

    def let_go(self) -> None:
        """What this task was answered is put away: its place among large answers is free."""
        self._sender.large.let_go()

    async def ask(self, endpoint: Endpoint, body: bytes) -> Exchange:
        """Post `body`; what may go well the next time is tried again with growing, jittered waits.

        Raises CallFailed when the answer is final or the attempts are used up.
        """
        (headers, secrets), attempt = self._headers_for(endpoint), 0
        while True:
            attempt += 1
            async with self._turn(endpoint, body) as pace:
                begun = _Begun(attempt)
                try:
                    raw, came = await self._sender.ask(endpoint, body, headers)
                except Trouble as failure:
                    wait_s = self._wait_or_give_up(failure, begun, pace, secrets)
                else:
                    pace.answered()
                    reply = secrets.hide_in(came)
                    return Exchange(secrets.raw_of(raw, came, reply), reply, begun.trace())
            await self._sleep(wait_s)

    async def stream(self, endpoint: Endpoint, body: bytes) -> AsyncIterator[Piece | Streamed]:
        """Post `body`, an encoded request, as one that asks for a stream: pieces as they come, and
        Streamed at the end.

        What fails before the first piece is tried again as by `ask`; after it nothing is. A stream
        with nothing in it is asked for once more, whole. Raises CallFailed.
        """
        (headers, secrets), attempt = self._headers_for(endpoint), 0
        streamed = endpoint.format.streamed(body)
        while True:
            attempt += 1
            came = False
            async with self._turn(endpoint, body) as pace:
                begun = _Begun(attempt)
                try:
                    items = self._sender.stream(endpoint, streamed, headers, attempt)
                    async for item in hidden_in(items, secrets):
                        came = True
                        yield item
                    pace.answered()
                    return
                except NothingCame:
                    wait_s = None
                except Trouble as failure:
                    failure.again = failure.again and not came
                    wait_s = self._wait_or_give_up(failure, begun, pace, secrets)
            if wait_s is None:
                whole = await self.ask(endpoint, body)
                if whole.reply.text:
                    yield Piece("content", whole.reply.text)
                yield Streamed(whole.raw, whole.reply, whole.trace, whole.trace.total_ms)
                return
            await self._sleep(wait_s)

    async def offered(self, endpoint: Endpoint) -> list[str]:
        """The names of the models that the endpoint's server offers. Raises CallFailed."""
        (headers, secrets), begun = self._headers_for(endpoint), _Begun(1)
        try:
            raw = await self._sender.get(endpoint, endpoint.offers_url, headers)
            return [secrets.hide(name) for name in wire.parse_models(raw)]
        except (Trouble, WireError) as error:
            message = error.message if isinstance(error, WireError) else str(error)
            raise CallFailed(secrets.hide(message), raw=None, trace=begun.trace()) from None

    async def embed(
        self, endpoint: Endpoint, model: str, texts: Sequence[str]
    ) -> list[list[float]]:
        """A vector of each text, by the model that the server calls so; tried again as by `ask`. Raises
        CallFailed."""
        (headers, secrets), attempt = self._headers_for(endpoint), 0
        body = embeddings.build_request(model, texts)
        while True:
            attempt += 1
            async with self._turn(endpoint, body) as pace:
                begun = _Begun(attempt)
                try:
                    raw = await self._sender.post(endpoint, endpoint.embeddings_url, body, headers)
                    vectors = embeddings.parse_reply(raw, len(texts))
                except Trouble as failure:
                    wait_s = self._wait_or_give_up(failure, begun, pace, secrets)
                except WireError as error:
                    message = secrets.hide(error.message)
                    raise CallFailed(message, raw=None, trace=begun.trace()) from None
                else:
                    pace.answered()
                    return vectors
            await self._sleep(wait_s)

    @asynccontextmanager
    async def _turn(self, endpoint: Endpoint, body: bytes) -> AsyncIterator[Pace]:
        """Entered when the call goes out: its time counts from then on."""
        pace = self._paces.get(endpoint.model)
        if pace is None:
            pace = self._paces[endpoint.model] = Pace(self._sleep)
        async with self._limited(endpoint, body), pace, self._places.one(self._caller):
            await self._may_ask()
            yield pace

    def _limited(self, endpoint: Endpoint, body: bytes) -> AbstractAsyncContextManager[None]:
        if not endpoint.limited:
            return nullcontext()
        return self._limits.turn(endpoint, tokens_expected(body), self._sleep)

    def _wait_or_give_up(
        self, failure: Trouble, begun: _Begun, pace: Pace, secrets: Secrets
    ) -> float:
        """Seconds to wait before the next attempt. Raises CallFailed if there is none."""
        trace = begun.trace()
        if failure.slower:
            pace.complained(begun.clock, failure.retry_after_s, self._retry.most_s)
        if not failure.again or trace.attempts >= self._retry.attempts:
            raise _given_up(failure, trace, secrets) from None  # its words may repeat a key
        return self._retry.wait_s(trace.attempts, failure.retry_after_s, self._rng)

    def _headers_for(self, endpoint: Endpoint) -> tuple[dict[str, str], Secrets]:
        """The same for every call of one client, so a key is looked up once; with the secrets among them. Raises
        CallFailed for a key that can't be had."""
        found = self._headers.get(endpoint)
        if found is None:
            headers = {**dict(endpoint.headers), "Content-Type": "application/json"}
            if endpoint.key_reference:
                headers |= endpoint.format.key_headers(self._key_for(endpoint))
            secrets = Secrets.of_headers(headers)
            if endpoint.built_in:
                headers[CALLER] = self._caller
            found = self._headers[endpoint] = (headers, secrets)
        return found

    def _key_for(self, endpoint: Endpoint) -> str:
        assert endpoint.key_reference is not None
        try:
            return self._keys.key_for(endpoint.key_reference, endpoint.address)
        except EpistemError as error:
            never = CallTrace(datetime.now(UTC).replace(tzinfo=None), 0.0, 0)
            raise CallFailed(error.message, raw=None, trace=never, kind="refused") from error


async def _always() -> None:
    pass


class _Begun:
    """An attempt that has begun."""

    __slots__ = ("attempt", "clock", "started_at")

    def __init__(self, attempt: int) -> None:
        self.attempt = attempt
        self.started_at = datetime.now(UTC).replace(tzinfo=None)
        self.clock = monotonic()

    def trace(self) -> CallTrace:
        return CallTrace(self.started_at, (monotonic() - self.clock) * 1000, self.attempt)


async def hidden_in(
    items: AsyncIterator[Piece | Streamed], secrets: Secrets
) -> AsyncIterator[Piece | Streamed]:
    """The same without the secrets, also where one comes in pieces."""
    maskers: dict[Literal["content", "reasoning"], Masker] = {}
    async for item in items:
        if isinstance(item, Piece):
            masker = maskers.setdefault(item.kind, secrets.masker())
            if told := masker.feed(item.text):
                yield item._replace(text=told)
            continue
        for kind, masker in maskers.items():
            if told := masker.rest():
                yield Piece(kind, told)
        reply = secrets.hide_in(item.reply)
        yield item._replace(raw=secrets.raw_of(item.raw, item.reply, reply), reply=reply)


def _given_up(failure: Trouble, trace: CallTrace, secrets: Secrets) -> CallFailed:
    tried = f" Tried {trace.attempts} times." if trace.attempts > 1 else ""
    return CallFailed(
        secrets.hide(f"{failure}{tried}"),
        raw=failure.raw and secrets.hide_bytes(failure.raw),
        trace=trace,
        kind=failure.kind,
        retry_after_s=failure.retry_after_s,
        status=failure.status,
    )
