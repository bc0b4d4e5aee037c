"""What a runner holds to prove that it lives, and how it tells that others do not."""

from __future__ import annotations

import time
from collections.abc import Iterable

from epistem.store import owners
from epistem.store.database import Address, StoreDown, Transaction


class OwnerLock:
    """The server-side lock of an owner, on a connection of its own. Raises StoreDown."""

    def __init__(self, address: Address, owner: str) -> None:
        self._connection = address.connect(autocommit=True)
        with self._connection.cursor() as cursor:
            if not owners.hold_lock(Transaction(cursor), owner):
                self._connection.close()
                raise StoreDown("The owner's lock is still held by a connection that was lost.")

    def alive(self) -> bool:
        try:
            self._connection.ping(reconnect=False)
        except Exception:
            return False
        return True

    def close(self) -> None:
        self._connection.close()


class LongGone:
    """Owners without a lock count as gone after `gone_s`: one whose connection broke, or whose database was started
    anew, takes its lock again within this time."""

    def __init__(self, gone_s: float) -> None:
        self._gone_s = gone_s
        self._free_since: dict[str, float] = {}
        self._look_at = 0.0

    def due(self) -> bool:
        """Whether it is time to look."""
        now = time.monotonic()
        if now < self._look_at:
            return False
        self._look_at = now + self._gone_s / 4
        return True

    def of(self, without_lock: Iterable[str]) -> list[str]:
        """Those of the owners that have no lock now who have had none for long enough."""
        now = time.monotonic()
        self._free_since = {name: self._free_since.get(name, now) for name in without_lock}
        return [name for name, since in self._free_since.items() if now - since >= self._gone_s]
