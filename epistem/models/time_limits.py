"""Time limits of many calls at once, watched by one task.

`asyncio.timeout` sets a timer of its own for every call, which costs about a tenth of what the
whole call does. Here a call only writes down when it is due, and a task looks every now and then.
"""

from __future__ import annotations

import asyncio
from types import TracebackType
from typing import Any, Self

LOOK_S = 0.05
"""How much later than its limit a call may end."""


class TimeLimits:
    """Of one event loop, between `start` and `stop`."""

    def __init__(self) -> None:
        self._due: dict[asyncio.Task[Any], _Limit] = {}
        self._watch: asyncio.Task[None] | None = None

    def start(self) -> None:
        self._watch = asyncio.create_task(self._look())

    def stop(self) -> None:
        if self._watch is not None:
            self._watch.cancel()

    def of(self, seconds: float) -> _Limit:
        """Use as `with`; raises TimeoutError in the task that it is used in."""
        return _Limit(self._due, seconds)

    async def _look(self) -> None:
        clock = asyncio.get_running_loop().time
        while True:
            await asyncio.sleep(LOOK_S)
            now = clock()
            for task, limit in list(self._due.items()):
                if limit.due <= now and not limit.passed:
                    limit.passed = True
                    task.cancel()


class _Limit:
    __slots__ = ("_all", "_task", "due", "passed")

    def __init__(self, all_: dict[asyncio.Task[Any], _Limit], seconds: float) -> None:
        self._all = all_
        self.due = asyncio.get_running_loop().time() + seconds
        self.passed = False

    def __enter__(self) -> Self:
        task = asyncio.current_task()
        assert task is not None, "a call is made inside a task"
        self._task = task
        self._all[task] = self
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        del self._all[self._task]
        if self.passed and self._task.uncancel() == 0 and kind is asyncio.CancelledError:
            raise TimeoutError from error
