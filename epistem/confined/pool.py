"""The side of those who have work done by children."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from threading import BoundedSemaphore, Lock, Timer

from epistem.confined.child import READY, put, take

STARTS_S = 300.0
"""For a child to be there, on however busy a machine."""
WAITS_S = 20.0
"""For one of the places to be free."""
MOST_IDLE = 2

Child = subprocess.Popen[bytes]


class NotDone(Exception):
    """The child was ended, or ended itself, before it had an answer."""


class TookTooLong(NotDone):
    pass


class TooMany(NotDone):
    """No place was free for so long."""


class Pool:
    """Children that run the module: so many at once, some of them kept for what comes next; they end with
    the process whose they are. Safe to use from many threads."""

    def __init__(self, module: str, at_once: int) -> None:
        self._module = module
        self._places = BoundedSemaphore(at_once)
        self._idle: list[Child] = []
        self._lock = Lock()

    def call(self, *frames: bytes, seconds: float) -> bytes:
        """What the child answers within that time, which begins when it has the request. Blocks. Raises NotDone."""
        if not self._places.acquire(timeout=WAITS_S):
            raise TooMany
        try:
            while True:
                child, used = self._taken()
                try:
                    told = _asked(child, frames, seconds)
                except _Gone:
                    if used:
                        continue  # it ended while it was idle
                    raise NotDone from None
                self._keep(child)
                return told
        finally:
            self._places.release()

    def let_go(self) -> None:
        """End those that are idle."""
        with self._lock:
            idle, self._idle = self._idle, []
        for child in idle:
            _end(child)

    def _taken(self) -> tuple[Child, bool]:
        """A child, and whether it was used before."""
        with self._lock:
            if self._idle:
                return self._idle.pop(), True
        child = subprocess.Popen(
            [sys.executable, "-m", self._module],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        assert child.stdout is not None
        with _ended_after(child, STARTS_S):
            ready = take(child.stdout)
        if ready != READY:
            _end(child)
            raise NotDone
        return child, False

    def _keep(self, child: Child) -> None:
        with self._lock:
            if len(self._idle) < MOST_IDLE:
                self._idle.append(child)
                return
        _end(child)


class _Gone(Exception):
    pass


def _asked(child: Child, frames: tuple[bytes, ...], seconds: float) -> bytes:
    assert child.stdin is not None
    assert child.stdout is not None
    told = None
    with _ended_after(child, seconds) as late:
        try:
            for frame in frames:
                put(child.stdin, frame)
            told = take(child.stdout)
        except OSError:
            pass
    if told is not None and not late:
        return told
    _end(child)
    raise TookTooLong if late else _Gone


@contextmanager
def _ended_after(child: Child, seconds: float) -> Iterator[list[bool]]:
    """What is given is true once the child was ended."""
    late: list[bool] = []

    def end() -> None:
        late.append(True)
        child.kill()

    timer = Timer(seconds, end)
    timer.daemon = True
    timer.start()
    try:
        yield late
    finally:
        timer.cancel()


def _end(child: Child) -> None:
    child.kill()
    child.wait()
    for stream in (child.stdin, child.stdout):
        if stream is not None:
            with suppress(OSError):
                stream.close()
