"""Cases out of rows, once it is known what the columns mean; a row that makes none says why."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from epistem.core import strict_json
from epistem.core.cases.content import Case, Expectation, checked
from epistem.core.cases.files import packed
from epistem.core.cases.files.columns import Column, folded
from epistem.core.cases.files.records import ORIGINAL
from epistem.core.cases.files.table import BadRow, Row, Table, shown
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Input
from epistem.core.prompts.images import checked_image
from epistem.core.prompts.inputs import name_fault
from epistem.core.shapes import listed

GUARDED = ("=", "+", "-", "@", "\t", "\r", "'")
"""Signs by which a spreadsheet takes a cell for a formula; `writing` puts ' before them, and before '."""
_YES = {"yes", "y", "true", "1", "x", "ja", "oui", "si", "sí"}
_NO = {"no", "n", "false", "0", "nein", "non"}


class Built(NamedTuple):
    """`given` are the fields that the file tells of, as `inputs.message` or `tags`: the others of a case
    that is there already stay as they are. `original` is the hash of what a paired case's original asks,
    where the file says it."""

    line: int
    case: Case
    given: frozenset[str]
    original: bytes = b""


@dataclass(frozen=True)
class Wanted:
    """What the subject's prompt says of inputs and labels."""

    inputs: Sequence[Input] = ()
    labels: Sequence[str] = ()


@dataclass
class Cases:
    built: list[Built] = field(default_factory=list)
    bad: list[BadRow] = field(default_factory=list)


def build(
    table: Table,
    columns: Sequence[Column],
    wanted: Wanted,
    images: Mapping[str, bytes] | None = None,
    origin: str = "",
) -> Cases:
    """Every row as a case, or why not. Raises InvalidInput for columns that contradict each other."""
    done = Cases(bad=list(table.bad))
    if not table.rows:
        return done
    if not table.whole:
        check_columns(table, columns)
    build_row = (
        _Whole(wanted, origin) if table.whole else _ByColumns(columns, wanted, images or {}, origin)
    )
    keys: dict[str, int] = {}
    for row in table.rows:
        try:
            built = build_row(row)
        except InvalidInput as error:
            told = shown("; ".join(str(value) for value in row.cells.values() if value))
            done.bad.append(BadRow(row.line, error.message, told))
            continue
        key = built.case.key
        if key and key in keys:
            reason = f"has the id {shown(key)}, as line {keys[key]:,} has"
            done.bad.append(BadRow(row.line, reason, shown(key)))
            continue
        keys[key] = row.line
        done.built.append(built)
    done.bad.sort(key=lambda bad: bad.line)
    return done


def check_columns(table: Table, columns: Sequence[Column]) -> None:
    """Raises InvalidInput, naming the column, where two mean the same, or one is of no table's."""
    once: set[tuple[str, str]] = set()
    for at, column in enumerate(columns):
        where = f"columns.{at}"
        if column.name not in table.columns:
            raise InvalidInput(f"There is no column “{shown(column.name)}”.", field=where)
        if column.means == "input" and (fault := name_fault(column.input)):
            raise InvalidInput(fault, field=f"{where}.input")
        place = (column.means, column.input)
        if column.means not in ("leave", "turn", "tags", "tag", "must_say", "must_not_say"):
            if place in once:
                what = f"the input “{column.input}”" if column.input else f"the {column.means}"
                raise InvalidInput(f"Two columns are {what}.", field=where)
            once.add(place)
    if not any(column.means in ("input", "turn") for column in columns):
        raise InvalidInput("Say which column is an input.", field="columns")


class _Whole:
    """Rows that are cases already."""

    def __init__(self, wanted: Wanted, origin: str) -> None:
        self._images = [each.name for each in wanted.inputs if each.kind == "image"]
        self._origin = origin

    def __call__(self, row: Row) -> Built:
        told = dict(row.cells)
        original = _hash(told.pop(ORIGINAL, ""))
        case = _as_case(told)
        for name in self._images:
            if case.inputs.get(name) not in (None, ""):
                checked_image(case.inputs[name], name)
        if not case.origin:
            case = case.model_copy(update={"origin": self._origin})
        return Built(row.line, case, frozenset(Case.model_fields), original if case.pair else b"")


class _ByColumns:
    def __init__(
        self,
        columns: Sequence[Column],
        wanted: Wanted,
        images: Mapping[str, bytes],
        origin: str,
    ) -> None:
        self._columns = [column for column in columns if column.means != "leave"]
        self._kinds = {each.name: each for each in wanted.inputs}
        self._labels = {folded(label): label for label in wanted.labels}
        self._images = images
        self._named = packed.by_name(images)
        self._origin = origin

    def __call__(self, row: Row) -> Built:
        inputs: dict[str, Any] = {}
        expect: dict[str, Any] = {}
        more: dict[str, Any] = {"tags": [], "turns": []}
        given: set[str] = set()
        for column in self._columns:
            value = _unguarded(row.cells.get(column.name), column.name)
            if column.means == "input":
                given.add(f"inputs.{column.input}")
                inputs[column.input] = self._input(column.input, value)
            elif value not in (None, "", []):
                given |= self._rest(column, value, expect, more)
            else:
                given |= _PLACES.get(column.means, {column.means})
        if not any(value not in (None, "", []) for value in inputs.values()) and not more["turns"]:
            raise InvalidInput("has nothing in any input")
        more.setdefault("origin", self._origin)
        case = _as_case({"inputs": inputs, "expect": expect, **more})
        return Built(row.line, case, frozenset(given))

    def _rest(
        self, column: Column, value: Any, expect: dict[str, Any], more: dict[str, Any]
    ) -> set[str]:
        means = column.means
        match means:
            case "label":
                labels = self._label(value)
                expect["label"] = labels[0] if labels else None
                expect["labels"] = labels[1:]
            case "answer":
                expect["answer"] = _text(value)
            case "must_say" | "must_not_say":
                expect.setdefault(means, []).extend(_several(value))
            case "known" | "refuse":
                expect[means] = _yes_or_no(value, column.name)
            case "tags":
                more["tags"] += [tag[:60] for tag in _several(value)]
            case "tag":
                named = "" if column.name == "folder" else f"{folded(column.name)} "
                more["tags"].append(f"{named}{_text(value)}"[:60])
            case "turn":
                turns = value if isinstance(value, list) else [value]
                more["turns"] += [_text(turn) for turn in turns]
            case _:
                more[means] = _text(value)
        return _PLACES.get(means, {means})

    def _label(self, value: Any) -> list[str]:
        """One, or several of which each is right."""
        told = value if isinstance(value, list) else [value]
        if self._labels and len(told) == 1 and folded(_text(told[0])) not in self._labels:
            told = [part for part in re.split(r"[|;]", _text(told[0])) if part.strip()]
        found = []
        for each in told:
            text = _text(each).strip()
            if self._labels and folded(text) not in self._labels:
                known = listed(list(self._labels.values())[:12])
                raise InvalidInput(f"“{shown(text)}” is no label of this prompt: it has {known}")
            found.append(self._labels.get(folded(text), text))
        return found

    def _input(self, name: str, value: Any) -> Any:
        each = self._kinds.get(name)
        if each is None or each.kind == "text":
            return "" if value is None else value
        if value is None or value == "":
            return ""
        match each.kind:
            case "number":
                return _number(value, name)
            case "choice":
                return _choice(value, each)
            case "image":
                return self._image(value, name)
            case "list":
                return value if isinstance(value, list) else _json_or(value, list, _several)
            case "record":
                return value if isinstance(value, dict) else _json_or(value, dict, _fields)
            case "passages":
                return value if isinstance(value, list) else _json_or(value, list, _paragraphs)
        return value if isinstance(value, list) else _json_or(value, list, _no_turns)

    def _image(self, value: Any, name: str) -> str:
        text = _text(value).strip()
        if not text.startswith("data:"):
            path = self._named.get(text.replace("\\", "/").removeprefix("./"))
            if path is None:
                raise InvalidInput(f"the image {shown(text)} is not in the zip")
            text = packed.as_address(path, self._images[path])
        return checked_image(text, name)


_PLAIN = ("tags", "turns", "note", "owner", "key")
_PLACES: Mapping[str, set[str]] = {
    "label": {"label", "labels"},
    "tag": {"tags"},
    "turn": {"turns"},
}
"""The fields that a column of this meaning tells of, where they are called otherwise."""


def _as_case(told: Mapping[str, Any]) -> Case:
    """Raises InvalidInput with the field in its words: a row has no fields to stand beside."""
    try:
        return checked(Case.from_json(dict(told)))
    except InvalidInput as error:
        raise InvalidInput(f"{error.field}: {error.message}") from error


def _hash(told: Any) -> bytes:
    if isinstance(told, str) and re.fullmatch(r"([0-9a-f]{64})?", told):
        return bytes.fromhex(told)
    raise InvalidInput(
        f"{ORIGINAL}: {shown(told)} is not what a case asks, as 64 hexadecimal digits"
    )


def _unguarded(value: Any, column: str) -> Any:
    """A cell of a table that was written here, without the ' that keeps it from being a formula."""
    own = column.startswith(("inputs.", "expect."))
    return (
        value[1:]
        if own and isinstance(value, str) and value[:1] == "'" and value[1:2] in GUARDED
        else value
    )


def _text(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _several(value: Any) -> list[str]:
    """A list as it is, else what stands between line breaks; or semicolons, bars or commas."""
    if isinstance(value, list):
        return [_text(each) for each in value]
    text = _text(value)
    if text.lstrip().startswith("["):
        try:
            found = strict_json.loads(text)
        except (ValueError, RecursionError):
            found = None
        if isinstance(found, list):
            return [_text(each) for each in found]
    mark = next((mark for mark in "\n;|," if mark in text), "\n")
    return [part.strip() for part in text.split(mark) if part.strip()]


def _yes_or_no(value: Any, column: str) -> bool:
    if isinstance(value, bool):
        return value
    word = _text(value).strip().casefold()
    if word in _YES or word in _NO:
        return word in _YES
    raise InvalidInput(f"“{shown(value)}” in “{shown(column)}” is neither yes nor no")


def _number(value: Any, name: str) -> int | float:
    if isinstance(value, int | float) and not isinstance(value, bool):
        return value
    text = _text(value).strip().replace("\u2212", "-")
    if re.fullmatch(r"[+-]?\d{1,15}", text):
        return int(text)
    if re.fullmatch(r"[+-]?(\d{1,15}(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?", text):
        return float(text)
    raise InvalidInput(f"“{shown(value)}” is no number, which “{name}” has to be")


def _choice(value: Any, each: Input) -> str:
    by_name = {folded(choice): choice for choice in each.choices}
    text = _text(value).strip()
    if by_name and folded(text) not in by_name:
        raise InvalidInput(
            f"“{shown(text)}” is none of what “{each.name}” can be: {listed(each.choices[:12])}"
        )
    return by_name.get(folded(text), text)


def _json_or(value: Any, kind: type, otherwise: Any) -> Any:
    """A text that is JSON of that kind, else what `otherwise` makes of it."""
    text = _text(value)
    if text.lstrip()[:1] in ("[", "{"):
        try:
            found = strict_json.loads(text)
        except (ValueError, RecursionError):
            found = None
        if isinstance(found, kind):
            return found
    return otherwise(text)


def _fields(text: str) -> dict[str, str]:
    """`name: value` a line."""
    pairs = [line.split(":", 1) for line in text.splitlines() if ":" in line]
    if not pairs:
        raise InvalidInput(
            f"“{shown(text)}” is no record: write it as JSON, or as name: value lines"
        )
    return {name.strip(): value.strip() for name, value in pairs}


def _no_turns(text: str) -> list[Any]:
    raise InvalidInput(f"“{shown(text)}” is no list of turns, each with role and text, as JSON")


def _paragraphs(text: str) -> list[dict[str, str]]:
    return [{"text": part.strip()} for part in re.split(r"\n\s*\n", text) if part.strip()]


def over(kept: Case, built: Built) -> Case:
    """The case that is kept, with what the file tells of it."""
    given, new = built.given, built.case
    if "inputs" in given:
        return new.model_copy(update={"origin": kept.origin})
    inputs = {**kept.inputs, **{k: v for k, v in new.inputs.items() if f"inputs.{k}" in given}}
    told = {name: getattr(new.expect, name) for name in Expectation.model_fields if name in given}
    changed: dict[str, Any] = {
        "inputs": inputs,
        "expect": kept.expect.model_copy(update=told),
        **{name: getattr(new, name) for name in _PLAIN if name in given},
    }
    return kept.model_copy(update=changed)
