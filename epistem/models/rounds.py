"""One answer that may take several calls: the model asks for tools, is told what they say, goes on."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from epistem.core.prompts.content import Prompt
from epistem.core.prompts.tools import ToolResult, answer_call
from epistem.core.wire import chat_completions as wire
from epistem.core.wire.chat_completions import Reply, ToolCall, Usage
from epistem.core.wire.stream import Piece
from epistem.models.client import CallTrace, Endpoint, Exchange, ModelClient, Streamed

MAX_ROUNDS = 8
"""A model that still calls tools after so many rounds is taken at its last word."""


@dataclass(frozen=True)
class Try:
    """A request ready to be sent, and the prompt whose tools answer for it."""

    endpoint: Endpoint
    content: Prompt
    body: Mapping[str, Any]


class ToolUsed(NamedTuple):
    call: ToolCall
    result: ToolResult


@dataclass
class Outcome:
    """The last reply and its bytes; usage, time and attempts are of all rounds together."""

    reply: Reply
    trace: CallTrace
    first_ms: float | None = None
    usage: Usage = field(default_factory=Usage)
    tools: list[ToolUsed] = field(default_factory=list)
    rounds: int = 0
    raw: bytes = b""

    def add(self, reply: Reply, trace: CallTrace) -> None:
        before = self.trace if self.rounds else CallTrace(trace.started_at, 0.0, 0)
        self.trace = CallTrace(
            before.started_at, before.total_ms + trace.total_ms, before.attempts + trace.attempts
        )
        self.usage = Usage(*(a + b for a, b in zip(self.usage, reply.usage, strict=True)))
        self.reply = reply
        self.rounds += 1


async def whole_rounds(client: ModelClient, a_try: Try, first: Exchange | None = None) -> Outcome:
    """`first` is the exchange of the first call, where it was made already. Raises CallFailed."""
    body, outcome, exchange = a_try.body, None, first
    while True:
        exchange = exchange or await client.ask(a_try.endpoint, wire.encode(body))
        outcome = outcome or Outcome(exchange.reply, exchange.trace)
        outcome.add(exchange.reply, exchange.trace)
        outcome.raw = exchange.raw
        results = _use_tools(a_try, outcome)
        if not results:
            return outcome
        body = a_try.endpoint.format.build_next(body, exchange.reply, _told(results))
        exchange = None


async def streamed_rounds(
    client: ModelClient, a_try: Try
) -> AsyncIterator[Piece | ToolUsed | Outcome]:
    """Pieces and uses of tools as they come; the Outcome last. Raises CallFailed."""
    body: Mapping[str, Any] = a_try.body
    outcome: Outcome | None = None
    while True:
        reply: Reply | None = None
        async for item in client.stream(
            a_try.endpoint, a_try.endpoint.format.encode_streamed(body)
        ):
            if isinstance(item, Streamed):
                outcome = outcome or Outcome(item.reply, item.trace)
                if outcome.first_ms is None and item.first_ms is not None:
                    outcome.first_ms = item.first_ms + (
                        outcome.trace.total_ms if outcome.rounds else 0
                    )
                outcome.add(item.reply, item.trace)
                reply = item.reply
            else:
                yield item
        assert outcome is not None, "a stream ends with Streamed, or raises"
        assert reply is not None
        results = _use_tools(a_try, outcome)
        for used in results:
            yield used
        if not results:
            yield outcome
            return
        body = a_try.endpoint.format.build_next(body, reply, _told(results))


def _use_tools(a_try: Try, outcome: Outcome) -> list[ToolUsed]:
    if outcome.rounds >= MAX_ROUNDS:
        return []
    used = [
        ToolUsed(call, answer_call(a_try.content.tools, call.name, call.arguments))
        for call in outcome.reply.tool_calls
    ]
    outcome.tools += used
    return used


def _told(used: list[ToolUsed]) -> list[tuple[ToolCall, str]]:
    return [(each.call, each.result.answer) for each in used]
