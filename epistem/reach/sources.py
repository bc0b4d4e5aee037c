"""Sources of rows, which are only ever read: an attached SQLite file, or a MariaDB database elsewhere."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from epistem.core.errors import InvalidInput
from epistem.core.tools.rows import Rows
from epistem.core.tools.statements import Dialect, names_in, statement_fault
from epistem.reach import mariadb, sqlite
from epistem.reach.doors import Door

MOST_TABLES_TOLD = 20_000


@dataclass(frozen=True)
class Source:
    """`file` is where an attached one lies for reading; `place` is the other's."""

    name: str
    kind: Literal["sqlite", "mariadb"]
    file: Path | None = None
    place: mariadb.Place | None = None

    @property
    def dialect(self) -> Dialect:
        return "sqlite" if self.kind == "sqlite" else "mysql"


def run(
    source: Source,
    statement: str,
    doors: Sequence[Door],
    *,
    given: Mapping[str, Any] | None = None,
    most_rows: int = 50,
    seconds: float = 5.0,
) -> Rows:
    """The rows of a statement that only reads. Blocks. Raises InvalidInput, in words for who wrote it."""
    if wrong := statement_fault(statement, source.dialect):
        raise InvalidInput(wrong, field="query")
    values = {name: _plain(value) for name, value in (given or {}).items()}
    if given is not None:  # what was left out is nothing
        values = {name: values.get(name) for name in names_in(statement)}
    if source.file is not None:
        return sqlite.run(source.file, statement, values, most_rows, seconds)
    assert source.place is not None, "a source has a file or a place"
    return mariadb.run(source.place, statement, values, most_rows, seconds, doors)


def tables_of(source: Source, doors: Sequence[Door], seconds: float = 5.0) -> str:
    """Its tables with their columns, as a model is shown them. Blocks. Raises as `run`."""
    if source.file is not None:
        told = sqlite.tables_of(source.file, seconds)
    else:
        assert source.place is not None
        told = mariadb.tables_of(source.place, seconds, doors)
    return told[:MOST_TABLES_TOLD] or "It has no tables."


def _plain(value: Any) -> str | int | float | None:
    if isinstance(value, bool):
        return int(value)
    if value is None or isinstance(value, str | float):
        return value
    if isinstance(value, int) and -(2**63) <= value < 2**63:
        return value
    raise InvalidInput("A statement is filled in with texts and numbers alone.", field="query")
