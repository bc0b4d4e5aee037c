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


async def stream(
    request: web.Request,
    frame: dict[str, Any],
    choices: Sequence[tuple[str, str]],
    usage: dict[str, int] | None,
    *,
    wait_s: float,
    fault: Fault | None,
) -> web.StreamResponse:
    """Send `choices` (text, finish_reason) side by side; `usage` last when it is asked for.

    `frame` is what every chunk repeats, `wait_s` the time between pieces.
    """
    response = web.StreamResponse(
        headers={"Content-Type": "text/event-stream", "Cache-Control": "no-store"}
    )
    await response.prepare(request)
    asked = usage is not None
    chunks = list(_chunks(choices))
    for number, chunk in enumerate(chunks):
        if number == len(chunks) // 2 and fault is not None:
            if fault.kind == "stall":
                await asyncio.sleep(fault.value / 1000)
            elif fault.kind == "cut":
                assert request.transport is not None
                request.transport.close()
                return response
        body = {**frame, "choices": [chunk], **({"usage": None} if asked else {})}
        await response.write(_event(json.dumps(body, ensure_ascii=False)))
        if wait_s:
            await asyncio.sleep(wait_s)
    if asked:
        await response.write(_event(json.dumps({**frame, "choices": [], "usage": usage})))
    await response.write(_event("[DONE]"))
    await response.write_eof()
    return response


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
