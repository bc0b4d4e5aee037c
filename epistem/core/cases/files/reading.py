"""A file as a table, whatever it is: its kind is told by its name, and by how it begins."""

from __future__ import annotations

import posixpath
from collections.abc import Collection
from typing import Literal, NamedTuple

from pydantic import Field

from epistem.core.cases.files import packed
from epistem.core.cases.files.decoding import decoded
from epistem.core.cases.files.delimited import read_delimited
from epistem.core.cases.files.records import read_records
from epistem.core.cases.files.table import BadRow, Kind, Row, Table
from epistem.core.errors import InvalidInput
from epistem.core.shapes import Document

_KINDS: dict[str, Kind] = {
    ".csv": "table", ".tsv": "table", ".jsonl": "jsonl", ".ndjson": "jsonl", ".json": "json",
    ".yaml": "yaml", ".yml": "yaml", ".zip": "zip",
}  # fmt: skip


class HowToRead(Document):
    """What a person says of a file where what was found in it is not right; empty leaves it to be found."""

    kind: Literal["", "table", "jsonl", "json", "yaml"] = ""
    encoding: str = Field("", max_length=40)
    separator: str = Field("", max_length=1)
    header: bool | None = None


class ReadFile(NamedTuple):
    """`images` are the other files of a zip, by path. `guessed` tells that nothing in the file says its
    encoding."""

    table: Table
    images: dict[str, bytes]
    guessed: bool


def read_file(
    name: str, content: bytes, how: HowToRead | None = None, known: Collection[str] = ()
) -> ReadFile:
    """Raises InvalidInput, or InvalidFile with the line, where it can't be read at all. Single rows that
    can't be are told in the table."""
    how = how or HowToRead()
    if not content.strip():
        raise InvalidInput("The file is empty.", field="file")
    if content.startswith(b"PK\x03\x04"):
        files = packed.unpacked(content)
        path = packed.table_in(files)
        if path is None:
            return ReadFile(_of_files(files), files, False)
        table, _, guessed = _read_text(path, files.pop(path), how, known)
        return ReadFile(table, files, guessed)
    return _read_text(name, content, how, known)


def _read_text(name: str, content: bytes, how: HowToRead, known: Collection[str]) -> ReadFile:
    text, encoding, guessed = decoded(content, how.encoding)
    kind = how.kind or _kind_of(name, text)
    if kind == "table":
        lines = packed.ending_of(name) not in (".csv", ".tsv")
        table = read_delimited(
            text, separator=how.separator, header=how.header, known=known, as_lines=lines
        )
    else:
        table = read_records(text, kind)
    table.encoding = encoding
    return ReadFile(table, {}, guessed)


def _kind_of(name: str, text: str) -> Kind:
    """By the ending; a text that begins as JSON does is taken for it, whatever it is called."""
    kind = _KINDS.get(packed.ending_of(name))
    start = text.lstrip()[:1]
    if kind in (None, "json", "jsonl") and start in ("{", "["):
        if start == "[":
            return "json"
        second = next((line for line in text.strip().split("\n")[1:] if line.strip()), "")
        return "jsonl" if kind == "jsonl" or second.lstrip().startswith('{"') else "json"
    return "table" if kind in (None, "zip") else kind


def _of_files(files: dict[str, bytes]) -> Table:
    """A row for each text and image, in order: where it lies, what it is called, what it holds."""
    table = Table("zip", ["folder", "file", "text", "image"])
    for at, (path, content) in enumerate(sorted(files.items()), start=1):
        folder, file = posixpath.split(path)
        cells = {"folder": folder, "file": file}
        if packed.ending_of(path) in packed.IMAGES:
            cells["image"] = path
        elif packed.ending_of(path) in packed.TEXTS:
            try:
                cells["text"] = decoded(content).text
            except InvalidInput as error:
                table.bad.append(BadRow(at, error.message, path))
                continue
        else:
            table.bad.append(BadRow(at, "is no text and no image", path))
            continue
        table.rows.append(Row(at, cells))
    table.columns = [name for name in table.columns if any(name in row.cells for row in table.rows)]
    if not table.rows and not table.bad:
        raise InvalidInput("The zip holds no files.", field="file")
    return table
