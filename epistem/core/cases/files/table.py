"""What is read of a file before anybody says what its columns mean."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

MOST_ROWS = 50_000
MOST_COLUMNS = 500
MOST_BYTES = 50_000_000
"""Of a file, and of what a zip unpacks to."""
SHOWN = 120

Kind = Literal["table", "jsonl", "json", "yaml", "zip"]


class Row(NamedTuple):
    """`line` is where it begins in the file, from 1. Cells of a table are text, those of a record as
    they were written."""

    line: int
    cells: dict[str, Any]


class BadRow(NamedTuple):
    """One that can't be taken, why, and its first words."""

    line: int
    reason: str
    shown: str = ""


@dataclass
class Table:
    """`whole` tells that its rows are cases as `writing` writes them, which need no explaining."""

    kind: Kind
    columns: list[str] = field(default_factory=list)
    rows: list[Row] = field(default_factory=list)
    bad: list[BadRow] = field(default_factory=list)
    encoding: str = "utf-8"
    separator: str = ""
    header: bool = True
    whole: bool = False


def shown(value: Any) -> str:
    """The first words of what stands in a row."""
    text = " ".join(str(value)[: 4 * SHOWN].split())
    return text if len(text) <= SHOWN else text[: SHOWN - 1] + "…"


def name_columns(names: list[str]) -> list[str]:
    """Each with a name of its own: one without is called by its place, one that comes again is counted."""
    taken: dict[str, int] = {}
    named = []
    for at, name in enumerate(names, start=1):
        name = " ".join(name.split())[:SHOWN] or f"column {at}"
        while name in taken:
            taken[name] += 1
            name = f"{name} ({taken[name]})"
        taken[name] = 1
        named.append(name)
    return named
