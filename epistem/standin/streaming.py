"""An answer as server-sent events, piece by piece."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from aiohttp import web

from epistem.standin.faults import Fault


class Event(NamedTuple):
    """The bytes to send; `spoken` ones take a token's time. `wait_s` follows it."""

    data: bytes
    spoken: bool
    wait_s: float = 0.0


def packed(body: dict[str, Any], *, spoken: bool = False, named: str = "") -> Event:
    """As one event, with its type on a line of its own where the format has that."""
    head = f"event: {named}\n" if named else ""
    return Event(f"{head}data: {json.dumps(body, ensure_ascii=False)}\n\n".encode(), spoken)


def paced(events: Iterable[Event], pace_s: float) -> list[Event]:
    return [event._replace(wait_s=pace_s if event.spoken else 0.0) for event in events]


async def send(
    request: web.Request, events: Sequence[Event], fault: Fault | None
) -> web.StreamResponse:
    """Send each event, and wait as it says. A fault comes before the first token, or in the middle."""
    response = web.StreamResponse(
        headers={"Content-Type": "text/event-stream", "Cache-Control": "no-store"}
    )
    await response.prepare(request)
    first = next((at for at, event in enumerate(events) if event.spoken), 0)
    for number, event in enumerate(events):
        if fault is not None and fault.kind == "first" and number == first:
            await asyncio.sleep(fault.wait_s)
        if fault is not None and number == len(events) // 2:
            if fault.kind == "stall":
                await asyncio.sleep(fault.wait_s)
            elif fault.kind == "cut":
                assert request.transport is not None
                request.transport.close()
                return response
        await response.write(event.data)
        if event.wait_s:
            await asyncio.sleep(event.wait_s)
    await response.write_eof()
    return response
