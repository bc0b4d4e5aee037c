"""Whose turn it is to ask a model: what its server allows is shared by all who ask it."""

from __future__ import annotations

import hashlib
import random
from threading import Lock
from typing import Any

import pymysql

from epistem.store.database import Address, Transaction


def take(tx: Transaction, model: str, spacing_s: float) -> float:
    """Take the next turn, which is over after `spacing_s`; seconds until it begins. No two get the same."""
    micros = max(1, round(spacing_s * 1e6))
    tx.run("INSERT IGNORE INTO model_turns (model, free_at) VALUES (%s, NOW(6))", [model])
    row = tx.first(
        "SELECT TIMESTAMPDIFF(MICROSECOND, NOW(6), free_at) FROM model_turns WHERE model = %s FOR UPDATE",
        [model],
    )
    assert row is not None
    wait = max(0, int(row[0]))
    tx.run(
        "UPDATE model_turns SET free_at = NOW(6) + INTERVAL %s MICROSECOND WHERE model = %s",
        (wait + micros, model),
    )
    return wait / 1e6


class Places:
    """Places among the calls at once: locks of the server, which are free again the moment that the
    connection of whoever holds them is gone. Safe to use from several threads."""

    def __init__(self, address: Address) -> None:
        self._address = address
        self._connection: pymysql.Connection[Any] | None = None
        self._held: set[str] = set()
        self._lock = Lock()

    def take(self, model: str, most: int) -> str | None:
        """A place among `most`, or None if none is free now."""
        names = [self._name(model, number) for number in range(most)]
        with self._lock:
            free = [name for name in names if name not in self._held]
            random.shuffle(free)
            for name in free[:8]:
                if self._ask("SELECT GET_LOCK(%s, 0)", name) == 1:
                    self._held.add(name)
                    return name
        return None

    def give_back(self, name: str) -> None:
        with self._lock:
            self._held.discard(name)
            self._ask("SELECT RELEASE_LOCK(%s)", name)

    def close(self) -> None:
        with self._lock:
            if self._connection is not None:
                self._connection.close()
                self._connection = None

    def _ask(self, sql: str, name: str) -> Any:
        """None while the database can't be asked; what was held is lost with its connection."""
        try:
            if self._connection is None:
                self._connection = self._address.connect(autocommit=True)
            with self._connection.cursor() as cursor:
                cursor.execute(sql, [name])
                row = cursor.fetchone()
                return row[0] if row else None
        except Exception:
            if self._connection is not None:
                self._connection.close()
            self._connection = None
            self._held.clear()
            return None

    def _name(self, model: str, number: int) -> str:
        told = f"{self._address.database}/{model}".encode()
        return f"epistem.place.{hashlib.sha256(told).hexdigest()[:32]}.{number}"
