"""Documents read in a process of their own, which is ended where one takes too long or too much memory."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from epistem.confined.pool import NotDone, Pool, TookTooLong
from epistem.core.knowledge.text import Heading, Text
from epistem.work.knowledge import child

MOST_SECONDS = 20.0
"""For one document."""


class Read(NamedTuple):
    """`problem` says why it can't be read, "" for one that can."""

    file: str
    text: Text
    problem: str = ""


def read_all(
    files: Iterable[tuple[str, bytes]], most_seconds: float = MOST_SECONDS
) -> Iterator[Read]:
    """One after the other. A process that ends over one of them is started anew for the rest."""
    pool = Pool(child.__name__, 1)
    try:
        for name, content in files:
            yield _read(pool, name, content, most_seconds)
    finally:
        pool.let_go()


def _read(pool: Pool, name: str, content: bytes, most_seconds: float) -> Read:
    try:
        told = pool.call(name.encode("utf-8", "replace"), content, seconds=most_seconds)
    except TookTooLong:
        return _not_read(name, f"longer than {most_seconds:g} seconds")
    except NotDone:
        return _not_read(name, "more memory than there is")
    found = json.loads(told)
    if "problem" in found:
        return Read(name, Text(""), found["problem"])
    headings, rows = (
        tuple(Heading(*each) for each in found[what]) for what in ("headings", "rows")
    )
    return Read(name, Text(found["text"], found["title"], headings, rows, tuple(found["told"])))


def _not_read(name: str, why: str) -> Read:
    told = f"Reading it takes {why}. Save it in a simpler form, or split it."
    return Read(name, Text(""), told)
