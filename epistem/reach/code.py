"""Calling what is installed as a tool: an entry point of the group `epistem.tools`.

It is a function of one dictionary, the arguments; it gives a text, or what can be written as JSON.
"""

from __future__ import annotations

import asyncio
import json
import threading
from collections.abc import Mapping
from importlib.metadata import entry_points
from typing import Any

from epistem.core.errors import InvalidInput
from epistem.core.prompts.tool import CodeWork
from epistem.core.tools.telling import cut_to
from epistem.reach.http import NotReached

GROUP = "epistem.tools"
MOST_AT_ONCE = 16
"""A function that never returns keeps its place: a thread can't be ended."""
_places = threading.BoundedSemaphore(MOST_AT_ONCE)


def installed() -> list[str]:
    """The names of all there are."""
    return sorted({each.name for each in entry_points(group=GROUP)})


async def call(does: CodeWork, given: Mapping[str, Any]) -> str:
    """Raises InvalidInput where nothing is installed under that name, NotReached where it fails or takes too long."""
    found = list(entry_points(group=GROUP, name=does.entry))
    if not found:
        there = ", ".join(installed()) or "none"
        raise InvalidInput(
            f"No tool “{does.entry[:80]}” is installed here. There are: {there}.",
            field="does.entry",
        )
    if not _places.acquire(blocking=False):
        raise NotReached(f"{MOST_AT_ONCE} calls of installed tools have not come back yet.")
    loop = asyncio.get_running_loop()
    came: asyncio.Future[str] = loop.create_future()

    def settle(value: str | None, error: Exception | None) -> None:
        if not came.done():
            if error is not None:
                came.set_exception(error)
            else:
                came.set_result(value or "")

    def work() -> None:
        value, fault = None, None
        try:
            told = found[0].load()(dict(given))
            value = told if isinstance(told, str) else json.dumps(told, ensure_ascii=False)
        except Exception as error:  # it is not ours
            fault = NotReached(f"It failed: {type(error).__name__}: {error}"[:300])
        finally:
            _places.release()
        if not loop.is_closed():
            loop.call_soon_threadsafe(settle, value, fault)

    threading.Thread(target=work, daemon=True, name=f"tool {does.entry}").start()
    try:
        return cut_to(await asyncio.wait_for(came, does.seconds), does.most_bytes)
    except TimeoutError:
        raise NotReached(f"It did not answer within {does.seconds:g} s.") from None
