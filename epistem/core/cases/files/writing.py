"""Cases written out: as JSON lines, which read back to the same cases, and as a table for people."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from epistem.core.cases.content import Case
from epistem.core.cases.files.building import GUARDED
from epistem.core.cases.files.records import ORIGINAL
from epistem.core.cases.identity import asked_hash

EXPECTED = ("label", "labels", "answer", "must_say", "must_not_say", "known", "refuse")
REST = ("tags", "turns", "key", "note", "owner", "origin")


def jsonl_of(cases: Iterable[Case], originals: Mapping[int, Case]) -> Iterator[str]:
    """A line each. A paired case names its original, given by number, by what that one asks: numbers
    mean nothing where the file is brought into another prompt."""
    for case in cases:
        told = case.to_json()
        original = originals.get(case.pair.of) if case.pair else None
        if original is not None:
            told[ORIGINAL] = asked_hash(original).hex()
        yield json.dumps(told, ensure_ascii=False) + "\n"


def csv_of(cases: Sequence[Case]) -> Iterator[str]:
    """A header and a row each; what is no text stands as JSON. No cell is taken for a formula."""
    inputs = list(dict.fromkeys(name for case in cases for name in case.inputs))
    columns = [f"inputs.{name}" for name in inputs] + [f"expect.{name}" for name in EXPECTED]
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow([*columns, *REST])
    for case in cases:
        expect = case.expect.model_dump(mode="json")
        cells = [case.inputs.get(name, "") for name in inputs]
        cells += [expect.get(name) for name in EXPECTED]
        cells += [getattr(case, name) for name in REST]
        writer.writerow([_cell(value) for value in cells])
        yield out.getvalue()
        out.seek(0)
        out.truncate()


def _cell(value: Any) -> str:
    if value is None or value == []:
        return ""
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return f"'{text}" if text.startswith(GUARDED) and not _is_number(value) else text


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float)
