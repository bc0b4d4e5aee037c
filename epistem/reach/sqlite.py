"""Reading an SQLite file in a process of its own, which ends when its time is over, whatever a function is at."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

from epistem.confined.pool import NotDone, Pool, TookTooLong, TooMany
from epistem.core.errors import InvalidInput
from epistem.core.tools.rows import Rows, Value
from epistem.reach import sqlite_child

AT_ONCE = 8
GRACE_S = 0.5
"""A statement that is looked at in time ends with better words."""


def run(
    file: Path, statement: str, given: Mapping[str, Value], most_rows: int, seconds: float
) -> Rows:
    """Blocks. Raises InvalidInput, in words."""
    told = _asked(file, seconds, statement=statement, given=dict(given), most_rows=most_rows)
    return Rows(tuple(told["columns"]), tuple(tuple(row) for row in told["rows"]), told["more"])


def tables_of(file: Path, seconds: float = 5.0) -> str:
    """The statements that made them. Blocks. Raises InvalidInput for what is no database."""
    tables: str = _asked(file, seconds, statement=None)["tables"]
    return tables


@cache
def _pool() -> Pool:
    return Pool(sqlite_child.__name__, AT_ONCE)


def _asked(file: Path, seconds: float, **more: Any) -> dict[str, Any]:
    request = json.dumps({"file": str(file), "seconds": seconds, **more}).encode()
    try:
        told: dict[str, Any] = json.loads(_pool().call(request, seconds=seconds + GRACE_S))
    except TookTooLong as error:
        raise InvalidInput(sqlite_child.took_longer(seconds), field="query") from error
    except TooMany as error:
        message = f"{AT_ONCE} statements are being run already. Try again in a moment."
        raise InvalidInput(message, field="query") from error
    except NotDone as error:
        raise InvalidInput(sqlite_child.TOO_LARGE, field="query") from error
    if "problem" in told:
        raise InvalidInput(told["problem"], field="query")
    return told
