"""Rows that a query gives, how a model is told them, and whether two answers are the same."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Sequence
from typing import Any, NamedTuple

from epistem.core.shapes import count

Value = str | int | float | None


class Rows(NamedTuple):
    """`more`: there were others, beyond the limit."""

    columns: tuple[str, ...]
    rows: tuple[tuple[Value, ...], ...]
    more: bool = False


def rows_told(found: Rows, most_bytes: int) -> str:
    """As JSON, with as many rows as fit, and in words what was left out."""
    kept = len(found.rows)
    text = _as_json(found, kept, found.more)
    while kept and len(text.encode()) > most_bytes:
        kept = min(kept - 1, kept * most_bytes // max(len(text.encode()), 1))
        text = _as_json(found, kept, True)
    return text


def _as_json(found: Rows, kept: int, more: bool) -> str:
    told: dict[str, Any] = {"columns": found.columns, "rows": found.rows[:kept]}
    if more:
        told["note"] = f"There are more rows than these {kept:,}. Ask for fewer, or count them."
    elif not found.rows:
        told["note"] = "No row fits."
    return json.dumps(told, ensure_ascii=False)


def difference(
    found: Rows, wanted: Rows, *, in_order: bool, digits: int | None, as_typed: bool
) -> str:
    """What is not the same, in a sentence; "" where nothing is. Names of columns do not matter, their order does.

    `digits`: numbers are rounded to so many after the point; None for as they are. Unless `as_typed`, a number is
    the same as the text of it.
    """
    if found.more or wanted.more:
        return "There are more rows than are compared, so nothing can be said."
    if len(found.columns) != len(wanted.columns):
        return (
            f"It gives {count(len(found.columns), 'column')}, the reference {len(wanted.columns)}."
        )
    mine = [_plain(row, digits, as_typed) for row in found.rows]
    theirs = [_plain(row, digits, as_typed) for row in wanted.rows]
    if in_order and len(mine) == len(theirs):
        for number, (a, b) in enumerate(zip(mine, theirs, strict=True), 1):
            if a != b:
                where = (
                    ""
                    if Counter(mine) != Counter(theirs)
                    else " The rows are the same, in another order."
                )
                return f"Row {number} is {_row(found.rows[number - 1])}, not {_row(wanted.rows[number - 1])}.{where}"
        return ""
    lost, extra = Counter(theirs), Counter(mine)
    lost.subtract(Counter(mine))
    extra.subtract(Counter(theirs))
    for row, told in zip(wanted.rows, theirs, strict=True):
        if lost[told] > 0:
            return f"{_lengths(found, wanted)}The row {_row(row)} is missing."
    for row, told in zip(found.rows, mine, strict=True):
        if extra[told] > 0:
            return f"{_lengths(found, wanted)}The row {_row(row)} should not be there."
    return ""


def _lengths(found: Rows, wanted: Rows) -> str:
    if len(found.rows) == len(wanted.rows):
        return ""
    return f"It gives {count(len(found.rows), 'row')}, the reference {len(wanted.rows):,}. "


def _plain(row: Sequence[Value], digits: int | None, as_typed: bool) -> tuple[Any, ...]:
    return tuple(_value(each, digits, as_typed) for each in row)


def _value(value: Value, digits: int | None, as_typed: bool) -> Any:
    if isinstance(value, str) and not as_typed:
        try:
            value = float(value)
        except ValueError:
            return ("text", value)
    if isinstance(value, int | float) and not isinstance(value, bool):
        if as_typed:
            kind = "whole" if isinstance(value, int) else "number"
            return (kind, value if digits is None else round(value, digits))
        number = float(value) if abs(value) < 1e300 else value
        told = number if digits is None else round(number, digits)
        return ("number", 0.0 if told == 0 else told)  # -0.0 is 0
    return ("text", value)


def _row(row: Sequence[Value]) -> str:
    text = json.dumps(list(row), ensure_ascii=False)
    return text if len(text) <= 120 else f"{text[:119]}…"
