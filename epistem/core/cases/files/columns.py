"""What the columns of a table mean: guessed by their names and by what stands in them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal, get_args

from pydantic import Field

from epistem.core import words
from epistem.core.cases.files.table import Table
from epistem.core.prompts.content import Input
from epistem.core.shapes import Document

Meaning = Literal[
    "leave", "input", "label", "answer", "must_say", "must_not_say", "known", "refuse", "tags", "tag",
    "turn", "key", "note", "owner", "origin",
]  # fmt: skip
MEANINGS: tuple[Meaning, ...] = get_args(Meaning)
_LOOKED_AT = 200

_CALLED: dict[Meaning, tuple[str, ...]] = {
    "label": ("label", "expected label", "category", "class", "intent", "gold", "gold label", "expected"),
    "answer": ("answer", "right answer", "reference", "reference answer", "expected answer", "ideal",
               "output", "expected output", "completion", "target"),
    "must_say": ("must say", "must include", "must contain", "contains"),
    "must_not_say": ("must not say", "must not include", "must not contain", "never say"),
    "known": ("known", "answerable"),
    "refuse": ("refuse", "must refuse", "decline"),
    "tags": ("tags", "tag", "group", "groups", "topic", "difficulty", "split", "slice"),
    "key": ("id", "key", "case", "case id", "identifier", "uuid", "ticket", "no", "nr", "number"),
    "note": ("note", "notes", "comment", "comments", "remark"),
    "owner": ("owner", "author", "by"),
    "origin": ("origin", "source", "from", "file"),
    "tag": ("folder",),
}  # fmt: skip
_TURN = re.compile(r"(?:turn|then|next|message|user)s? ?(\d+)?\Z")


class Column(Document):
    """What one column means; `input` is the name of the input that it fills."""

    name: str = Field(max_length=200)
    means: Meaning = "leave"
    input: str = Field("", max_length=80)


def folded(name: str) -> str:
    """Capitals, dots, dashes and underscores do not count: `Expected_Label` is `expected label`."""
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    return words.folded(spaced)


def known_names(inputs: Sequence[str]) -> set[str]:
    """What the header of a table for a prompt with these inputs is likely to say, in small letters."""
    return (
        {name for names in _CALLED.values() for name in names}
        | {folded(i) for i in inputs}
        | {i.casefold() for i in inputs}
    )


def guessed(table: Table, inputs: Sequence[Input], labels: Sequence[str] = ()) -> list[Column]:
    """An input's name is that input; usual names are what they usually are; a column whose values are
    labels of the prompt is the label. What the prompt's only text input is, where none is called so: the
    longest column left."""
    found = [Column(name=name) for name in table.columns]
    by_name = {folded(each.name): each.name for each in inputs}
    for column in found:
        own = re.match(r"inputs\.(.+)\Z", column.name)
        name = folded(column.name.removeprefix("expect."))
        if own or name in by_name:
            column.means, column.input = "input", own[1] if own else by_name[name]
        elif means := next((m for m, names in _CALLED.items() if name in names), None):
            column.means = means
        elif (turn := _TURN.match(name)) and (turn[1] or name in ("turns", "then")):
            column.means = "turn"
    if labels and not any(column.means == "label" for column in found):
        _find_label(table, found, labels)
    _keep_first(found, ("label", "answer", "known", "refuse", "key", "note", "owner", "origin"))
    _fill_missing(table, found, inputs)
    return found


def _find_label(table: Table, found: list[Column], labels: Sequence[str]) -> None:
    wanted = {folded(label) for label in labels}
    for column in found:
        if column.means not in ("leave", "tags"):
            continue
        values = [row.cells.get(column.name) for row in table.rows[:_LOOKED_AT]]
        told = [folded(str(value)) for value in values if value not in (None, "")]
        if told and sum(each in wanted for each in told) > len(told) / 2:
            column.means = "label"
            return


def _keep_first(found: list[Column], once: Sequence[Meaning]) -> None:
    taken: set[tuple[str, str]] = set()
    for column in found:
        if column.means not in (*once, "input"):
            continue
        place = (column.means, column.input)
        if place in taken:
            column.means, column.input = "leave", ""
        taken.add(place)


def _fill_missing(table: Table, found: list[Column], inputs: Sequence[Input]) -> None:
    """Inputs that no column is called by get the columns that no name explains, the longest first."""
    taken = {column.input for column in found if column.means == "input"}
    wanted = [each for each in inputs if each.name not in taken]
    if not inputs and not taken:
        wanted = [Input(name="message")]
    images = [each for each in wanted if each.kind == "image"]
    for column in found:
        if column.means == "leave" and column.name == "image" and images:
            column.means, column.input = "input", images[0].name
    plain = [each for each in wanted if each.kind != "image"]
    free = [column for column in found if column.means == "leave" and column.name != "image"]
    if not plain or not free or (taken and len(plain) > 1):
        return
    longest = max(free, key=lambda column: _length(table, column.name))
    if _length(table, longest.name) > 0:
        longest.means, longest.input = "input", plain[0].name


def _length(table: Table, name: str) -> int:
    return sum(len(str(row.cells.get(name) or "")) for row in table.rows[:_LOOKED_AT])
