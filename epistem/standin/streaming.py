"""An answer as server-sent events, piece by piece."""

from __future__ import annotations

import asyncio
import json
import re
from collections.abc import Iterator, Sequence
from typing import Any

from aiohttp import web

from epistem.standin.faults import Fault

_PIECE = re.compile(r"\s*(?:\w{1,6}|[^\w\s])|\s+\Z")


def pieces_of(text: str) -> list[str]:
    """The text cut where its tokens end, with the white space before each."""
    return _PIECE.findall(text)


async def send(
    request: web.Request, events: Sequence[tuple[bytes, float]], fault: Fault | None
) -> web.StreamResponse:
    """Send each event, and wait so many seconds after it. A fault comes in the middle."""
    response = web.StreamResponse(
        headers={"Content-Type": "text/event-stream", "Cache-Control": "no-store"}
    )
    await response.prepare(request)
    for number, (event, wait_s) in enumerate(events):
        if number == len(events) // 2 and fault is not None:
            if fault.kind == "stall":
                await asyncio.sleep(fault.value / 1000)
            elif fault.kind == "cut":
                assert request.transport is not None
                request.transport.close()
                return response
        await response.write(event)
        if wait_s:
            await asyncio.sleep(wait_s)
    await response.write_eof()
    return response


def chat_events(
    frame: dict[str, Any],
    choices: Sequence[tuple[str, str]],
    usage: dict[str, int] | None,
    *,
    wait_s: float,
) -> list[tuple[bytes, float]]:
    """`choices` (text, finish_reason) side by side, `usage` last when it is asked for.

    `frame` is what every chunk repeats, `wait_s` the time between pieces.
    """
    more = {} if usage is None else {"usage": None}
    bodies = [{**frame, "choices": [chunk], **more} for chunk in _chunks(choices)]
    events = [(_event(json.dumps(body, ensure_ascii=False)), wait_s) for body in bodies]
    if usage is not None:
        events.append((_event(json.dumps({**frame, "choices": [], "usage": usage})), 0.0))
    return [*events, (_event("[DONE]"), 0.0)]


def _chunks(choices: Sequence[tuple[str, str]]) -> Iterator[dict[str, Any]]:
    for index in range(len(choices)):
        yield _chunk(index, {"role": "assistant", "content": ""})
    cut = [pieces_of(text) for text, _ in choices]
    for at in range(max(map(len, cut), default=0)):
        for index, pieces in enumerate(cut):
            if at < len(pieces):
                yield _chunk(index, {"content": pieces[at]})
    for index, (_, finish) in enumerate(choices):
        yield _chunk(index, {}, finish)


def _chunk(index: int, delta: dict[str, str], finish: str | None = None) -> dict[str, Any]:
    return {"index": index, "delta": delta, "logprobs": None, "finish_reason": finish}


def _event(data: str) -> bytes:
    return f"data: {data}\n\n".encode()
