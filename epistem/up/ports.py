"""Ports on loopback."""

from __future__ import annotations

import socket
import time
from collections.abc import Callable

from epistem.up.errors import StartError

USUAL_PORT = 8400
TRIED = 20


def free_port() -> int:
    """A port that nobody listens on right now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def is_free(port: int) -> bool:
    with socket.socket() as probe:
        # As the server will bind it: a port in TIME_WAIT counts as free.
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return True


def port_for_web(asked: int | None, say: Callable[[str], None]) -> int:
    """The port asked for, or the usual one, or the next free one. Raises StartError."""
    if asked is not None:
        if not is_free(asked):
            raise StartError(
                f"Port {asked} is taken by another program. Leave PORT out to let Epistem choose, "
                "or name another one."
            )
        return asked
    for port in range(USUAL_PORT, USUAL_PORT + TRIED):
        if is_free(port):
            if port != USUAL_PORT:
                say(f"Port {USUAL_PORT} is taken, so this is on {port}.")
            return port
    return free_port()


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
