"""The side of the child: requests come in on the standard input, one after the other, what comes of each goes out.

A request and an answer are frames: their length in 8 bytes, big-endian, then their bytes.
"""

from __future__ import annotations

import os
import resource
import sys
from collections.abc import Callable
from threading import Thread
from time import sleep
from typing import IO

READY = b"ready"
LOOKS_S = 0.5
NICER = 10
"""Those who wait for a page come first."""


def serve(work: Callable[[list[bytes]], bytes], frames: int, most_memory: int) -> None:
    """Until nobody asks any more: `work` is given so many frames at a time. It has so many bytes of memory."""
    resource.setrlimit(resource.RLIMIT_AS, (most_memory, most_memory))
    os.nice(NICER)
    Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    coming, going = sys.stdin.buffer, sys.stdout.buffer
    put(going, READY)
    while True:
        request = [take(coming) for _ in range(frames)]
        told = [frame for frame in request if frame is not None]
        if len(told) < frames:
            return
        put(going, work(told))


def take(stream: IO[bytes]) -> bytes | None:
    """What comes next; None where nothing does."""
    head = stream.read(8)
    if len(head) < 8:
        return None
    size = int.from_bytes(head, "big")
    content = stream.read(size)
    return content if len(content) == size else None


def put(stream: IO[bytes], content: bytes) -> None:
    stream.write(len(content).to_bytes(8, "big"))
    stream.write(content)
    stream.flush()


def _end_with(parent: int) -> None:
    """A parent that is killed closes the pipes, which a child in the middle of its work does not see."""
    while os.getppid() == parent:
        sleep(LOOKS_S)
    os._exit(1)
