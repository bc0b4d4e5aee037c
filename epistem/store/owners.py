"""Who claims work, and proves to be alive by a server-side lock of that name: MariaDB frees it the moment the
connection drops, whatever ended the process."""

from __future__ import annotations

from collections.abc import Iterable

from epistem.store.database import Transaction


def lock_name(owner: str) -> str:
    return f"epistem.runner.{owner}"


def hold_lock(tx: Transaction, owner: str) -> bool:
    """Take (or keep) the lock of this owner on this connection; one that was just lost is waited for."""
    return tx.first("SELECT GET_LOCK(%s, 1)", [lock_name(owner)]) == (1,)


def without_lock(tx: Transaction, owners: Iterable[str]) -> set[str]:
    """Those whose lock nobody holds. One whose connection broke takes it again in a moment, so an owner is gone
    only if it is so for a while."""
    return {
        owner
        for owner in set(owners)
        if tx.first("SELECT IS_FREE_LOCK(%s)", [lock_name(owner)]) == (1,)
    }
