"""The web server's worker: threads, of which no half-sent request holds one for long."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from typing import Any

from gunicorn.workers.gthread import TConn, ThreadWorker

READ_S = 10.0
"""A client has so long to send a whole request, its body too."""


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


class Worker(ThreadWorker):  # type: ignore[misc]
    def handle(self, conn: TConn) -> Any:
        """Carry out a request of this connection, in one of the threads."""
        if "init" not in vars(conn):
            conn.init = partial(_init, conn, conn.init)  # called before each request
        return super().handle(conn)


def _init(conn: TConn, usual: Callable[[], None]) -> None:
    usual()
    reader = conn.parser.unreader
    if not isinstance(reader.sock, TimedSocket):
        reader.sock = TimedSocket(reader.sock)
    reader.sock.deadline = time.monotonic() + READ_S
