"""A process that reads SQLite files, one statement after the other: `python -m` this.

Opened read-only, each step of a statement asked about. The time is looked at between steps; a function that takes long
is ended with the process, by whoever started it.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from time import monotonic
from typing import Any
from urllib.parse import quote

from epistem.confined.child import serve
from epistem.core.errors import InvalidInput
from epistem.core.tools.rows import Rows, Value

MOST_MEMORY = 256_000_000
"""Of SQLite in this process."""
MOST_OF_PROCESS = 700_000_000
MOST_TEXT = 1_000_000
"""Bytes of one value."""
MOST_BYTES = 4_000_000
"""Of all rows of one answer."""
_MAY = {
    sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE
}  # fmt: skip
_NEVER = {"load_extension", "readfile", "writefile", "edit", "fts3_tokenizer"}
_LIMITS = (
    (sqlite3.SQLITE_LIMIT_LENGTH, MOST_TEXT),
    (sqlite3.SQLITE_LIMIT_SQL_LENGTH, 100_000),
    (sqlite3.SQLITE_LIMIT_EXPR_DEPTH, 200),
    (sqlite3.SQLITE_LIMIT_COMPOUND_SELECT, 50),
    (sqlite3.SQLITE_LIMIT_LIKE_PATTERN_LENGTH, 100),
    (sqlite3.SQLITE_LIMIT_ATTACHED, 0),
)
_STEPS = 5_000
"""Of the database's machine, after which the time is looked at."""


def run(
    file: Path, statement: str, given: Mapping[str, Value], most_rows: int, seconds: float
) -> Rows:
    """Raises InvalidInput, in words."""
    ends = monotonic() + seconds
    with _opened(file, seconds) as connection:
        cursor = connection.execute(statement, dict(given))
        columns = tuple(str(each[0]) for each in cursor.description or ())
        rows: list[tuple[Value, ...]] = []
        size = 0
        for row in cursor:
            size += sum(len(each) if isinstance(each, str | bytes) else 8 for each in row)
            if monotonic() > ends:
                raise InvalidInput(took_longer(seconds), field="query")
            if len(rows) == most_rows or size > MOST_BYTES:
                return Rows(columns, tuple(rows), True)
            rows.append(tuple(_value(each) for each in row))
        return Rows(columns, tuple(rows))


def tables_of(file: Path, seconds: float = 5.0) -> str:
    """The statements that made them. Raises InvalidInput for what is no database."""
    with _opened(file, seconds) as connection:
        rows = connection.execute(
            "SELECT sql FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite!_%' "
            "ESCAPE '!' AND sql IS NOT NULL ORDER BY name"
        )
        return "\n".join(f"{' '.join(str(row[0]).split())};" for row in rows)


@contextmanager
def _opened(file: Path, seconds: float) -> Iterator[sqlite3.Connection]:
    ends = monotonic() + seconds
    connection = sqlite3.connect(
        f"file:{quote(str(file))}?mode=ro&immutable=1", uri=True, isolation_level=None
    )
    try:
        connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
        for limit, most in _LIMITS:
            connection.setlimit(limit, most)
        for told in (
            "query_only = 1", "trusted_schema = 0", "temp_store = MEMORY", "cell_size_check = 1",
            f"hard_heap_limit = {MOST_MEMORY}",
        ):  # fmt: skip
            connection.execute(f"PRAGMA {told}").close()
        connection.set_authorizer(_may)
        connection.set_progress_handler(lambda: monotonic() > ends, _STEPS)
        yield connection
    except (sqlite3.Error, OverflowError, MemoryError) as error:
        raise InvalidInput(_words(error, seconds), field="query") from error
    finally:
        connection.close()


def took_longer(seconds: float) -> str:
    return f"The statement took longer than {seconds:g} s, so it was ended. Ask for less."


TOO_LARGE = "The statement takes too much memory. Ask for less."


def _may(action: int, first: str | None, second: str | None, *_: Any) -> int:
    if action not in _MAY:
        return sqlite3.SQLITE_DENY
    if action == sqlite3.SQLITE_FUNCTION and (second or "").lower() in _NEVER:
        return sqlite3.SQLITE_DENY
    return sqlite3.SQLITE_OK


def _words(error: Exception, seconds: float) -> str:
    told = str(error).rstrip(".")
    if told == "interrupted":
        return took_longer(seconds)
    if isinstance(error, MemoryError) or told == "out of memory":
        return TOO_LARGE
    if "not authorized" in told or "prohibited" in told or "readonly" in told:
        return f"Only reading is allowed here, with one SELECT ({told})."
    return f"The database says: {told or type(error).__name__}."


def _value(value: Any) -> Value:
    if isinstance(value, bytes):
        return f"({len(value):,} bytes)"
    return value  # type: ignore[no-any-return]


def _work(frames: list[bytes]) -> bytes:
    asked = json.loads(frames[0])
    file, seconds = Path(asked["file"]), asked["seconds"]
    try:
        if asked["statement"] is None:
            return json.dumps({"tables": tables_of(file, seconds)}).encode()
        found = run(file, asked["statement"], asked["given"], asked["most_rows"], seconds)
        told = {"columns": found.columns, "rows": found.rows, "more": found.more}
        return json.dumps(told).encode()
    except InvalidInput as error:
        return json.dumps({"problem": error.message}).encode()
    except MemoryError:
        return json.dumps({"problem": TOO_LARGE}).encode()
    except ValueError as error:  # half a character, say
        return json.dumps({"problem": f"The statement can't be run: {error}."}).encode()


if __name__ == "__main__":
    serve(_work, 1, MOST_OF_PROCESS)
