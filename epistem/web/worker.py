"""The web server's worker: threads, of which no half-sent request holds one for long."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import partial
from http import HTTPStatus
from threading import BoundedSemaphore
from typing import Any

from gunicorn.http.errors import LimitRequestHeaders, LimitRequestLine, ParseException
from gunicorn.util import write_nonblock
from gunicorn.workers.gthread import TConn, ThreadWorker

READ_S = 10.0
"""A client has so long to send a whole request, its body too."""


CLOSING_AT_ONCE, MOST_CLOSING = 8, 64


class TimedSocket:
    """A socket whose reads end at a deadline, set anew for each request."""

    def __init__(self, socket: Any) -> None:
        self._socket = socket
        self.deadline = time.monotonic() + READ_S

    def recv(self, size: int) -> bytes:
        left = self.deadline - time.monotonic()
        if left <= 0:
            raise TimeoutError("the request was not sent within the time limit")
        before = self._socket.gettimeout()
        self._socket.settimeout(left if before is None else min(left, before))
        try:
            got: bytes = self._socket.recv(size)
            return got
        finally:
            self._socket.settimeout(before)

    def __getattr__(self, name: str) -> Any:
        return getattr(self._socket, name)


class Closing:
    """Connections whose other end is waited for before they are closed, so that it gets to read the answer.

    Off the worker's loop, which would wait for one after the other while nobody else is heard; of more than
    MOST_CLOSING none is waited for.
    """

    def __init__(self) -> None:
        self._threads = ThreadPoolExecutor(CLOSING_AT_ONCE, thread_name_prefix="closing")
        self._room = BoundedSemaphore(MOST_CLOSING)

    def close(self, usual: Callable[..., None], graceful: bool = False) -> None:
        if not graceful or not self._room.acquire(blocking=False):
            usual()
            return

        def wait() -> None:
            try:
                usual(graceful=True)
            finally:
                self._room.release()

        self._threads.submit(wait)


_UNHEARD: list[tuple[type[BaseException], tuple[int, str]]] = [
    (LimitRequestLine, (414, "The address is longer than 4,094 characters. Send less in it.")),
    (
        LimitRequestHeaders,
        (431, "The headers of the request are too large or too many. Send fewer."),
    ),
    (ParseException, (400, "The request is no HTTP that can be read.")),
]


class Worker(ThreadWorker):  # type: ignore[misc]
    closing = Closing()

    def handle_error(self, req: Any, client: Any, addr: Any, exc: BaseException) -> None:
        """What no application hears of, as an address that is too long, is told as all else is."""
        told = next((said for kind, said in _UNHEARD if isinstance(exc, kind)), None)
        if told is None:
            super().handle_error(req, client, addr, exc)
            return
        status, detail = told
        title = HTTPStatus(status).phrase
        body = json.dumps(
            {"type": "about:blank", "title": title, "status": status, "detail": detail}
        )
        head = (
            f"HTTP/1.1 {status} {title}\r\nConnection: close\r\nContent-Type: application/problem+json\r\n"
            f"Content-Length: {len(body)}\r\n\r\n"
        )
        with suppress(OSError):
            write_nonblock(client, (head + body).encode("ascii"))

    def handle(self, conn: TConn) -> Any:
        """Carry out a request of this connection, in one of the threads."""
        if "init" not in vars(conn):
            conn.init = partial(_init, conn, conn.init)  # called before each request
            conn.close = partial(self.closing.close, conn.close)
        return super().handle(conn)


def _init(conn: TConn, usual: Callable[[], None]) -> None:
    usual()
    reader = conn.parser.unreader
    if not isinstance(reader.sock, TimedSocket):
        reader.sock = TimedSocket(reader.sock)
    reader.sock.deadline = time.monotonic() + READ_S
