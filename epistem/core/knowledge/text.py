"""A document as it is cut and searched: its text, and where its headings stand."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple


class Heading(NamedTuple):
    """`start` is its place in the text; level 1 is the highest."""

    start: int
    level: int
    title: str


@dataclass(frozen=True)
class Text:
    """`rows` are where those of a table begin, with what stands in their first cells; `told` is what was left out or
    could not be read, in a sentence each."""

    text: str
    title: str = ""
    headings: tuple[Heading, ...] = ()
    rows: tuple[Heading, ...] = ()
    told: tuple[str, ...] = field(default=())
