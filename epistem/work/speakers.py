"""The models that the steps of chains ask in a trial: the exact request that was answered is not sent again."""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from collections.abc import Iterable
from typing import Any

from epistem.core.engine.needs import AskModel
from epistem.models.driving import Before, Made
from epistem.work.judging import People

MOST_REMEMBERED, LONGEST = 32_000_000, 100_000
"""Bytes of all replies, and of one."""
AROUND = 500
"""Bytes that a remembered reply takes besides its own."""
Asked = tuple[str, bytes]
"""The model, and what exactly it is asked."""


class Speakers(People):
    """One that fails is a matter of the arm, as with a prompt.

    While a request is being answered, others that are the same wait for that: a step that two arms have alike is free
    for one of them. What it took counts for both, or one would seem cheaper by luck.
    """

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self._said: OrderedDict[Asked, Before] = OrderedDict()
        self._bytes = 0
        self._asking: dict[Asked, asyncio.Event] = {}

    def know(self, replied: Iterable[tuple[Asked, Before]]) -> None:
        """What was replied before they began, as far as there is room: the first of it, which is asked first."""
        for asked, before in replied:
            if self._bytes + len(before.raw) + AROUND > MOST_REMEMBERED:
                return
            self._remember(asked, before)

    def _remember(self, asked: Asked, before: Before) -> None:
        if asked in self._said:
            self._forget(asked)
        self._said[asked] = before
        self._bytes += len(before.raw) + AROUND
        while self._bytes > MOST_REMEMBERED:
            self._forget(next(iter(self._said)))

    def _forget(self, asked: Asked) -> None:
        self._bytes -= len(self._said.pop(asked).raw) + AROUND

    async def recall(self, need: AskModel) -> Before | None:
        if need.seed is None:
            return None  # each answer to it is another
        asked = (need.model, need.digest)
        while (asking := self._asking.get(asked)) is not None:
            await asking.wait()
        found = self._said.get(asked)
        if found is None:
            self._asking[asked] = asyncio.Event()
        return found

    async def heard(self, need: AskModel, made: Made | None) -> None:
        raw = None if made is None else made.raw
        if need.seed is not None and made is not None and raw is not None and len(raw) <= LONGEST:
            before = Before(raw, made.usage, made.total_ms)
            self._remember((need.model, need.digest), before)
        self.left(need)

    def left(self, need: AskModel) -> None:
        if (asking := self._asking.pop((need.model, need.digest), None)) is not None:
            asking.set()
