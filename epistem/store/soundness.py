"""Whether all tables are there and can be read: a file of one that is gone or broken shows only when it is asked."""

from __future__ import annotations

import re
from functools import cache

import pymysql

from epistem.store.database import GONE, Transaction
from epistem.store.migrate import migrations

_CHANGES = re.compile(
    r"^(?:CREATE TABLE (?:IF NOT EXISTS )?`?(?P<made>\w+)`?|DROP TABLE (?:IF EXISTS )?`?(?P<gone>\w+)`?"
    r"|(?:RENAME TABLE|ALTER TABLE) `?(?P<old>\w+)`? (?:RENAME )?TO `?(?P<new>\w+)`?)",
    re.I,
)


@cache
def tables_wanted() -> tuple[str, ...]:
    """By the migrations."""
    found: dict[str, None] = {}
    for migration in migrations():
        for statement in migration.statements:
            bare = "\n".join(line for line in statement.splitlines() if not line.startswith("--"))
            if (change := _CHANGES.match(bare.strip())) is None:
                continue
            for name in (change["gone"], change["old"]):
                found.pop(name, None)
            for name in (change["made"], change["new"]):
                if name:
                    found[name] = None
    return tuple(found)


def damaged(tx: Transaction) -> list[str]:
    """The tables that are not there or can't be read. Raises StoreDown, around it, where the database is away."""
    found = []
    for table in tables_wanted():
        try:
            tx.first(f"SELECT 1 FROM `{table}` LIMIT 1")
        except pymysql.MySQLError as error:
            if error.args and error.args[0] in GONE:
                raise
            found.append(table)
    return found


def in_words(tables: list[str]) -> str:
    """What is the matter, in a sentence; "" for nothing."""
    if not tables:
        return ""
    told = ", ".join(tables[:5]) + (f" and {len(tables) - 5} more" if len(tables) > 5 else "")
    return f"The database is damaged: {told} can't be read. Restore a backup, as docs/keeping.md tells."
