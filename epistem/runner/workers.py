"""What carries out shards: processes of this machine, or any executor, as that of a cluster."""

from __future__ import annotations

import gc
import multiprocessing
import os
import signal
import threading
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor
from typing import Any, Protocol

from epistem.runner.addresses import introduce
from epistem.runner.lifeline import die_with_parent
from epistem.store.database import Address


class Workers(Protocol):
    def submit(self, work: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """Have it done. Raises BrokenExecutor when none of them is left."""
        ...

    def renew(self) -> None:
        """Start others, after they broke."""
        ...

    def stop(self) -> None:
        """Let go at once: what they have in hand is left to others."""
        ...


class OwnProcesses:
    """Processes that end with this one, however it ends: all at once with the first thing to do, or as they are needed
    (see `_start`)."""

    def __init__(self, address: Address, most: int) -> None:
        self._address, self._most = address, most
        self._pool: ProcessPoolExecutor | None = None

    def submit(self, work: Callable[..., Any], *arguments: Any) -> Future[Any]:
        if self._pool is None:
            self._pool = self._start()
        return self._pool.submit(work, *arguments)

    def renew(self) -> None:
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)
            self._pool = None

    def stop(self) -> None:
        if self._pool is None:
            return
        # Asked for first: a pool that is shut down has forgotten its processes.
        processes = list((getattr(self._pool, "_processes", None) or {}).values())
        self._pool.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.terminate()

    def _start(self) -> ProcessPoolExecutor:
        """Forked while this process has one thread: all that they need is imported already, which takes seconds.
        Where it has more, as when others are started later, a fork might copy a lock that nobody opens again."""
        forked = threading.active_count() == 1
        if forked:
            gc.freeze()  # so that they share its memory
        return ProcessPoolExecutor(
            self._most,
            mp_context=multiprocessing.get_context("fork" if forked else "spawn"),
            initializer=_begin,
            initargs=(self._address, os.getpid()),
        )


class OfExecutor:
    """Those of an executor that somebody else started and will stop. Its workers find the database by
    EPISTEM_DATABASE_URL in their environment, if they are not in this process."""

    def __init__(self, executor: Executor) -> None:
        self._executor = executor

    def submit(self, work: Callable[..., Any], *arguments: Any) -> Future[Any]:
        return self._executor.submit(work, *arguments)

    def renew(self) -> None:
        raise BrokenExecutor("The executor broke, and it is not this runner's to start another.")

    def stop(self) -> None:
        return None


def _begin(address: Address, parent: int) -> None:
    """In a new worker. What shards make has no circles in it; to look for some over and over took a
    tenth of their time."""
    gc.freeze()
    gc.set_threshold(50_000, 20, 50)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)  # not as its parent takes it
    die_with_parent(parent)
    introduce(address)
