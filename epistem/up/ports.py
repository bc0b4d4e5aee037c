"""Ports on loopback."""

from __future__ import annotations

import socket
import time
from collections.abc import Callable

from epistem.up.errors import StartError

USUAL_PORT = 8400
TRIED = 20
WAITING = 512
"""Connections that may wait while the web server starts."""


def free_port() -> int:
    """A port that nobody listens on right now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def listener_for_web(asked: int | None, say: Callable[[str], None]) -> socket.socket:
    """A socket that listens at the port asked for, or the usual one, or the next free one.

    It is taken when it is chosen, so that two that start at once never choose the same. Raises StartError.
    """
    if asked is not None:
        found = _listen(asked)
        if found is None:
            raise StartError(
                f"Port {asked} is taken by another program. Leave PORT out to let Epistem choose, "
                "or name another one."
            )
        return found
    for port in (*range(USUAL_PORT, USUAL_PORT + TRIED), 0):
        found = _listen(port)
        if found is not None:
            at = port_of(found)
            if at != USUAL_PORT:
                say(f"Port {USUAL_PORT} is taken, so this is on {at}.")
            return found
    raise StartError("There is no free port on this machine.")


def port_of(listener: socket.socket) -> int:
    port: int = listener.getsockname()[1]
    return port


def _listen(port: int) -> socket.socket | None:
    """None where the port is taken. One in TIME_WAIT counts as free."""
    listener = socket.socket()
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind(("127.0.0.1", port))
        listener.listen(WAITING)
    except OSError:
        listener.close()
        return None
    return listener


def answers(port: int) -> bool:
    try:
        socket.create_connection(("127.0.0.1", port), timeout=1).close()
    except OSError:
        return False
    return True


def wait_until(ready: Callable[[], bool], *, seconds: float, every_s: float = 0.05) -> bool:
    """Whether `ready` came true in time."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if ready():
            return True
        time.sleep(every_s)
    return ready()
