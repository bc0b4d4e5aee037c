"""Records as JSON lines, as a JSON array, or as YAML: a list of objects, each with its line."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from epistem.core import strict_json
from epistem.core.cases.content import Case
from epistem.core.cases.files.table import (
    MOST_COLUMNS,
    MOST_ROWS,
    BadRow,
    Kind,
    Row,
    Table,
    shown,
)
from epistem.core.errors import InvalidFile, InvalidInput
from epistem.core.plain import check_plain
from epistem.core.prompts.yaml_read import read_yaml

MOST_ENTRIES = 600_000
_SPACE = re.compile(r"[\s,]*")
ORIGINAL = "original"
"""Beside the fields of a paired case: what its original asks, by its hash in hexadecimal digits."""
_OWN = {*Case.model_fields, ORIGINAL}


def read_records(text: str, kind: Kind) -> Table:
    """Raises InvalidInput where the file as a whole is not what it is taken for."""
    table = Table(kind)
    found = {"jsonl": _json_lines, "json": _json_array, "yaml": _yaml_list}[kind](text)
    for line, value in found:
        if len(table.rows) + len(table.bad) >= MOST_ROWS:
            raise InvalidInput(
                f"It has more than {MOST_ROWS:,} records. Split it into several files.",
                field="file",
            )
        _take(table, line, value)
    if not table.rows and not table.bad:
        raise InvalidInput("There is nothing in it.", field="file")
    table.whole = bool(table.rows) and all(_is_own(row.cells) for row in table.rows)
    columns = dict.fromkeys(name for row in table.rows for name in row.cells)
    if len(columns) > MOST_COLUMNS:
        raise InvalidInput(
            f"Its records have {len(columns):,} different fields; the limit is {MOST_COLUMNS}.",
            field="file",
        )
    table.columns = list(columns)
    return table


def _take(table: Table, line: int, value: Any) -> None:
    if isinstance(value, BadRow):
        table.bad.append(value)
    elif not isinstance(value, dict):
        reason = "is no object with names and values"
        table.bad.append(BadRow(line, reason, shown(value)))
    else:
        try:
            check_plain(value)
        except InvalidInput as error:
            table.bad.append(BadRow(line, f"{error.field}: {error.message}", shown(value)))
        else:
            table.rows.append(Row(line, value))


def _is_own(cells: dict[str, Any]) -> bool:
    """As a case is written by Epistem: nobody else has just these names with an object of inputs."""
    return isinstance(cells.get("inputs"), dict) and set(cells) <= _OWN


def _json_lines(text: str) -> Iterator[tuple[int, Any]]:
    for line, written in enumerate(text.split("\n"), start=1):
        if not written.strip():
            continue
        try:
            yield line, strict_json.loads(written)
        except (ValueError, RecursionError) as error:
            yield line, BadRow(line, _why(error), shown(written))


def _json_array(text: str) -> Iterator[tuple[int, Any]]:
    """Of an array its items; an object that holds one array gives that array's."""
    start = _SPACE.match(text)
    at = start.end() if start else 0
    if not text.startswith("[", at):
        yield from _array_within(text)
        return
    decoder, at, line, counted = strict_json.DECODER, at + 1, 1, 0
    while True:
        space = _SPACE.match(text, at)
        at = space.end() if space else at
        line += text.count("\n", counted, at)
        counted = at
        if text.startswith("]", at):
            return
        try:
            value, at = decoder.raw_decode(text, at)
        except (ValueError, RecursionError) as error:
            # Where an item ends is not known any more, so what follows can't be told apart.
            raise InvalidFile(
                f"The file is no JSON from here on: {_why(error)}.", line=line
            ) from error
        yield line, value


def _array_within(text: str) -> Iterator[tuple[int, Any]]:
    try:
        whole = strict_json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InvalidInput(f"The file is no JSON: {_why(error)}.", field="file") from error
    lists = (
        [value for value in whole.values() if isinstance(value, list)]
        if isinstance(whole, dict)
        else []
    )
    if len(lists) == 1 and lists[0]:
        yield from ((1, value) for value in lists[0])
    elif isinstance(whole, dict):
        yield 1, whole
    else:
        raise InvalidInput("The file holds no list of records.", field="file")


def _yaml_list(text: str) -> Iterator[tuple[int, Any]]:
    read = read_yaml(text, most_entries=MOST_ENTRIES)
    value = read.value
    at: tuple[str, ...] = ()
    if isinstance(value, dict):
        lists = [(name, each) for name, each in value.items() if isinstance(each, list)]
        if len(lists) != 1:
            yield 1, value
            return
        [(name, value)] = lists
        at = (name,)
    if not isinstance(value, list):
        raise InvalidInput("The file holds no list of records.", field="file")
    for place, each in enumerate(value):
        yield read.lines.get((*at, place), 1), each


def _why(error: Exception) -> str:
    if isinstance(error, json.JSONDecodeError):
        return f"{error.msg[:1].lower()}{error.msg[1:]} at character {error.colno}"
    if isinstance(error, RecursionError):
        return "it is nested too deeply"
    return str(error)
