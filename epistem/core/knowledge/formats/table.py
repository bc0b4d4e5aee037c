"""A table: each row a passage of its own, `name: value` a line."""

from __future__ import annotations

from epistem.core.cases.files.decoding import decoded
from epistem.core.cases.files.delimited import read_delimited
from epistem.core.knowledge.formats.plain import LONGEST_TITLE
from epistem.core.knowledge.text import Heading, Text


def read(content: bytes) -> Text:
    table = read_delimited(decoded(content).text.replace("\0", ""))
    pieces, rows, length = [], [], 0
    for row in table.rows:
        told = "\n".join(
            f"{name}: {value}" for name, value in row.cells.items() if str(value).strip()
        )
        if told:
            first = next(str(value) for value in row.cells.values() if str(value).strip())
            rows.append(Heading(length, 1, " ".join(first.split())[:LONGEST_TITLE]))
            pieces.append(f"{told}\n\n")
            length += len(pieces[-1])
    bad = [f"Line {each.line} was left out: it {each.reason}." for each in table.bad[:5]]
    if len(table.bad) > 5:
        bad.append(f"And {len(table.bad) - 5} more lines.")
    return Text("".join(pieces).rstrip("\n") + "\n", "", (), tuple(rows), tuple(bad))
