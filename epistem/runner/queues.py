"""The cells of a shard, by arm: each arm gets its share of the calls in flight."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from math import ceil
from time import monotonic

from epistem.store.cells import ClaimedCell

STUCK_S = 2.0
"""An arm of which nothing landed for so long is stuck: its server is slow, or hangs."""
RETURNS = 2
"""So often a cell that met trouble of its model goes back to wait within a shard."""


class Queues:
    """`take` gives a cell of the arm with the least in flight that still has room.

    An arm of which nothing has landed yet, or for a while, holds no more lanes than its share among
    all arms of the shard: a server that hangs leaves the others theirs. Where nothing of the others
    is left, `alone` lifts that.
    """

    def __init__(
        self,
        cells: Iterable[ClaimedCell],
        lanes: int,
        clock: Callable[[], float] = monotonic,
    ) -> None:
        self._lanes = lanes
        self._clock = clock
        self._waiting: dict[int, deque[ClaimedCell]] = {}
        self._going: dict[int, int] = {}
        self._landed_at: dict[int, float] = {}
        self._returned: dict[int, int] = {}
        self.alone = False
        self.add(cells)

    def add(self, cells: Iterable[ClaimedCell]) -> None:
        for cell in cells:
            self._waiting.setdefault(cell.arm, deque()).append(cell)
            self._going.setdefault(cell.arm, 0)

    def take(self) -> ClaimedCell | None:
        """None where nothing waits that there is room for now."""
        best = None
        for arm, waiting in self._waiting.items():
            if (
                waiting
                and (best is None or self._going[arm] < self._going[best])
                and self._going[arm] < self._most(arm)
            ):
                best = arm
        if best is None:
            return None
        self._going[best] += 1
        return self._waiting[best].popleft()

    def done(self, cell: ClaimedCell) -> None:
        self._going[cell.arm] -= 1
        self._landed_at[cell.arm] = self._clock()

    def put_back(self, cell: ClaimedCell) -> bool:
        """Let it be asked once more, later; False if it was so too often."""
        times = self._returned.get(cell.id, 0)
        if times >= RETURNS:
            return False
        self._returned[cell.id] = times + 1
        self._waiting[cell.arm].append(cell)
        return True

    def drop(self, arm: int) -> None:
        """Nothing more of the arm is asked: what waits is left to be given back."""
        self._waiting[arm].clear()

    @property
    def stuck(self) -> set[int]:
        """Arms with calls in flight of which none has landed, ever or for a while. Empty while some
        other arm has something to ask."""
        stuck = {arm for arm, going in self._going.items() if going and not self._lands(arm)}
        waiting = {arm for arm, cells in self._waiting.items() if cells}
        return stuck if waiting <= stuck else set()

    @property
    def empty(self) -> bool:
        return not any(self._waiting.values())

    @property
    def over(self) -> bool:
        """Nothing waits, and nothing is in flight."""
        return self.empty and not any(self._going.values())

    def _most(self, arm: int) -> int:
        if self.alone or len(self._waiting) == 1:
            return self._lanes
        fair = ceil(self._lanes / len(self._waiting))
        if not self._lands(arm):
            return fair
        others = sum(min(fair, going) for each, going in self._going.items() if each != arm)
        return max(self._lanes - others, fair)

    def _lands(self, arm: int) -> bool:
        landed = self._landed_at.get(arm)
        return landed is not None and self._clock() - landed <= STUCK_S
