"""Tables as text: CSV, TSV, what is pasted from a spreadsheet; the separator is found."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Collection, Iterator
from itertools import islice

from epistem.core.cases.files.table import (
    MOST_BYTES,
    MOST_COLUMNS,
    MOST_ROWS,
    BadRow,
    Row,
    Table,
    name_columns,
    shown,
)
from epistem.core.errors import InvalidInput

_HINT = re.compile(r"sep=(.)(?:\r\n|\n|\r)")
"""A first line by which spreadsheets are told the separator."""
SEPARATORS = ("\t", ",", ";", "|")
_LOOKED_AT = 60
"""Rows by which the separator is found."""
_LONGEST_NAME = 60


def read_delimited(
    text: str,
    *,
    separator: str = "",
    header: bool | None = None,
    known: Collection[str] = (),
    as_lines: bool = False,
) -> Table:
    """`as_lines` is for a text that is no table by its name: a line a row, and only tabs between cells,
    unless its first line is the header of a table. `known` are names that such a header is likely to
    have, in small letters. Raises InvalidInput for a separator that can't be one, and for more rows or
    columns than are taken."""
    if separator and (len(separator) != 1 or separator in '"\r\n'):
        raise InvalidInput("The separator has to be one character.", field="separator")
    if (hint := _HINT.match(text)) is not None:
        separator = separator or hint[1]
        # Its line stays counted, so that the lines that are told are those of the file.
        text = "\n" + text[hint.end() :]
    whole_lines = False
    if as_lines and not separator:
        separator = _by_header(text, known) or "\t"
        whole_lines = separator not in text
    separator = separator or separator_of(text)
    records = _lines(text) if whole_lines else _records(text, separator)
    first = next(records, None)
    if first is None:
        raise InvalidInput("There is nothing in it.", field="file")
    if header is None:
        header = _is_header(first[1], known)
    width = len(first[1])
    if width > MOST_COLUMNS:
        raise InvalidInput(
            f"It has {width:,} columns; the limit is {MOST_COLUMNS}.", field="separator"
        )
    table = Table("table", separator=separator, header=header)
    table.columns = name_columns(first[1] if header else [""] * width)
    for line, cells in records if header else _after(first, records):
        if not any(cell.strip() for cell in cells):
            continue
        if len(table.rows) + len(table.bad) >= MOST_ROWS:
            raise InvalidInput(
                f"It has more than {MOST_ROWS:,} rows. Split it into several files.", field="file"
            )
        if len(cells) > width and any(cell.strip() for cell in cells[width:]):
            reason = f"has {len(cells)} cells, where there are {width} columns"
            table.bad.append(BadRow(line, reason, shown(separator.join(cells))))
            continue
        row = dict(zip(table.columns, cells, strict=False))
        table.rows.append(Row(line, row))
    if not whole_lines:
        _tell_open_quote(text, separator, table)
    return table


def _by_header(text: str, known: Collection[str]) -> str:
    """What separates names in the first line of which at least one is known; "" where none does."""
    first = text.lstrip().split("\n", 1)[0]
    for separator in SEPARATORS:
        names = [name.strip().strip('"').casefold() for name in first.split(separator)]
        if len(names) > 1 and any(name in known for name in names) and all(map(_is_name, names)):
            return separator
    return ""


def _lines(text: str) -> Iterator[tuple[int, list[str]]]:
    """Each line as it stands: quotes are quotes."""
    for number, line in enumerate(io.StringIO(text, newline=None), start=1):
        if line.strip():
            yield number, [line.rstrip("\n")]


def separator_of(text: str) -> str:
    """The one by which most rows have equally many cells; of equal ones the one with most cells."""
    best, chosen = (0.0, 0), ","
    for separator in SEPARATORS:
        widths = [len(cells) for _, cells in islice(_records(text, separator), _LOOKED_AT)]
        if not widths:
            continue
        width, times = Counter(widths).most_common(1)[0]
        score = (times / len(widths), width)
        if width > 1 and score > best:
            best, chosen = score, separator
    return chosen


def _records(text: str, separator: str) -> Iterator[tuple[int, list[str]]]:
    """Each record with the line on which it begins; blank lines are none."""
    csv.field_size_limit(MOST_BYTES)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    line = 1
    for cells in reader:
        if cells:
            yield line, cells
        line = reader.line_num + 1


def _after(
    first: tuple[int, list[str]], records: Iterator[tuple[int, list[str]]]
) -> Iterator[tuple[int, list[str]]]:
    yield first
    yield from records


def _is_header(cells: list[str], known: Collection[str]) -> bool:
    """Names, not values: one is known, or all are short, different, and no sentences or numbers."""
    names = [" ".join(cell.split()).casefold() for cell in cells]
    if any(name in known for name in names):
        return True
    return len(names) > 1 and len(set(names)) == len(names) and all(map(_is_name, names))


def _is_name(name: str) -> bool:
    plain = name.replace(".", "").replace(",", "").replace("-", "")
    return 0 < len(name) <= _LONGEST_NAME and not plain.isdecimal() and name[-1] not in ".?!"


def _tell_open_quote(text: str, separator: str, table: Table) -> None:
    """A quote that is never closed takes in all that follows: the row is not taken, and told."""
    if not table.rows or text.count('"') % 2 == 0:
        return
    line = table.rows[-1].line
    rest = islice(io.StringIO(text, newline=""), line - 1, None)
    try:
        for _ in csv.reader(rest, delimiter=separator, strict=True):
            pass
    except csv.Error as error:
        if "unexpected end" in str(error):
            row = table.rows.pop()
            reason = 'a quote " is opened here and never closed, so all that follows is in one cell'
            table.bad.append(BadRow(line, reason, shown(" ".join(map(str, row.cells.values())))))
