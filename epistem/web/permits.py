"""Threads are few: what may hold one for long takes a permit first, and always gives it back."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Semaphore

from flask import Response

from epistem.web.problems import Unavailable


@contextmanager
def held(permits: Semaphore, full: str) -> Iterator[None]:
    """While this lasts, one permit is taken. Raises Unavailable, with the words `full`, without one."""
    if not permits.acquire(blocking=False):
        raise Unavailable(full)
    try:
        yield
    finally:
        permits.release()


def held_stream(
    permits: Semaphore,
    full: str,
    events: Callable[[], Iterator[str]],
    when_closed: Callable[[], None] | None = None,
) -> Response:
    """A stream of events that holds a permit until it is closed. Everything that can be refused has
    to be looked at before. Raises Unavailable."""
    if not permits.acquire(blocking=False):
        raise Unavailable(full)
    try:
        stream = Response(
            events(),
            content_type="text/event-stream",
            headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
        )
    except BaseException:
        permits.release()
        raise
    if when_closed is not None:
        stream.call_on_close(when_closed)
    stream.call_on_close(permits.release)
    return stream
