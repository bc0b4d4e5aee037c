"""Plain data out of a YAML file, with the line of each field; the reader's events, never its objects."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

import yaml
from pydantic import BaseModel, ValidationError

from epistem.core.errors import InvalidFile, InvalidInput
from epistem.core.plain import DEEPEST, check_plain
from epistem.core.shapes import field_path

MOST_ENTRIES = 100_000
Path = tuple[str | int, ...]
Form = TypeVar("Form", bound=BaseModel)

PLAIN = (
    ("null", r"null|~|", ["n", "~", ""]),
    ("bool", r"true|false", ["t", "f"]),
    ("int", r"[-+]?[0-9]+", list("-+0123456789")),
    ("float", r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?", list("-+.0123456789")),
)
"""What a word without quotes is, by its form and first letters: as in YAML 1.2, all else is text."""
_FORMS = [(kind, re.compile(rf"(?:{pattern})\Z")) for kind, pattern, _ in PLAIN]
_TAG = "tag:yaml.org,2002:"


@dataclass
class Read:
    """Plain data, and the line (from 1) at which each field of it stands."""

    value: Any = None
    lines: dict[Path, int] = field(default_factory=dict)

    def line(self, path: Path) -> int | None:
        """That of the field, or of the nearest one around it."""
        for end in range(len(path), -1, -1):
            if path[:end] in self.lines:
                return self.lines[path[:end]]
        return None


def read_yaml(text: str, *, most_entries: int = MOST_ENTRIES) -> Read:
    """Raises InvalidFile, with the line, for any mistake: no YAML, an alias, a tag, a field twice, too
    deep, too long, or a value that nothing can keep."""
    try:
        read = _Reader(most_entries).read(text)
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        raise InvalidFile(
            f"The file is not YAML: {error.problem or error.context}.",
            line=min(mark.line, text.count("\n")) + 1 if mark else None,
        ) from error
    except yaml.reader.ReaderError as error:
        line = text.count("\n", 0, int(error.position)) + 1
        raise InvalidFile(
            "The file holds a character that YAML does not allow.", line=line
        ) from error
    except UnicodeEncodeError as error:
        line = text.count("\n", 0, error.start) + 1
        raise InvalidFile(
            "The file holds half a character, which is no text.", line=line
        ) from error
    try:
        check_plain(read.value)
    except InvalidInput as error:
        told = {".".join(map(str, path)): line for path, line in read.lines.items()}
        raise InvalidFile(
            error.message, line=told.get(error.field or ""), field=error.field
        ) from error
    return read


class _Reader:
    """Builds the value from events, one list or record in hand at a time; no recursion."""

    def __init__(self, most_entries: int) -> None:
        self._most = most_entries
        self._read = Read()
        self._open: list[tuple[Any, Path]] = []  # lists and records begun, with their paths
        self._key: str | None = None
        self._entries = 0
        self._documents = 0

    def read(self, text: str) -> Read:
        for event in yaml.parse(text, Loader=yaml.CSafeLoader):
            mark: Any = event.start_mark
            self._take(event, mark.line + 1)
        return self._read

    def _take(self, event: Any, line: int) -> None:
        if isinstance(event, yaml.DocumentStartEvent):
            self._documents += 1
            if self._documents > 1:
                raise InvalidFile("The file holds a second document after “---”.", line=line)
        elif isinstance(event, yaml.AliasEvent):
            raise InvalidFile(
                f"The file uses the alias *{str(event.anchor)[:80]}. Write it out instead.",
                line=line,
            )
        elif isinstance(event, yaml.ScalarEvent):
            self._scalar(event, line)
        elif isinstance(event, yaml.MappingStartEvent | yaml.SequenceStartEvent):
            self._check_tag(event.tag, line)
            begun: Any = {} if isinstance(event, yaml.MappingStartEvent) else []
            path = self._put(begun, line)
            self._open.append((begun, path))
            if len(self._open) > DEEPEST:
                raise InvalidFile(
                    f"It is nested too deeply: more than {DEEPEST} lists and fields inside each other.",
                    line=line,
                )
        elif isinstance(event, yaml.MappingEndEvent | yaml.SequenceEndEvent):
            self._open.pop()

    def _scalar(self, event: Any, line: int) -> None:
        self._check_tag(event.tag, line)
        within = self._open[-1][0] if self._open else None
        if isinstance(within, dict) and self._key is None:
            key = str(event.value)
            if key in within:
                raise InvalidFile(f"The field “{key[:80]}” stands here twice.", line=line)
            self._key = key
            self._read.lines[(*self._open[-1][1], key)] = line
            return
        self._put(_value(event, line), line)

    def _put(self, value: Any, line: int) -> Path:
        """Into what is open; the path at which it stands."""
        self._entries += 1
        if self._entries > self._most:
            raise InvalidFile(f"The file has more than {self._most:,} entries.", line=line)
        if not self._open:
            self._read.value = value
            self._read.lines[()] = line
            return ()
        within, around = self._open[-1]
        if isinstance(within, list):
            path: Path = (*around, len(within))
            within.append(value)
        elif self._key is None:
            raise InvalidFile("The name of a field has to be a plain word.", line=line)
        else:
            path = (*around, self._key)
            within[self._key] = value
            self._key = None
        self._read.lines.setdefault(path, line)
        return path

    @staticmethod
    def _check_tag(tag: str | None, line: int) -> None:
        if tag is not None and tag not in ("!", f"{_TAG}str", f"{_TAG}map", f"{_TAG}seq"):
            raise InvalidFile(f"The file uses the tag {tag[:80]}. Leave it out.", line=line)


def _value(event: Any, line: int) -> Any:
    text = str(event.value)
    if event.style or event.tag is not None:  # in quotes, a block, or called text by a tag
        return text
    kind = next((kind for kind, form in _FORMS if form.match(text)), "str")
    if kind == "int":
        if len(text) > 20:
            raise InvalidFile(f"The number has {len(text):,} digits; write it as text.", line=line)
        return int(text)
    if kind == "float":
        return float(text)
    return {"null": None, "bool": text == "true"}.get(kind, text)


def held_against(form: type[Form], read: Read) -> Form:
    """What was read, as a document of that form. Raises InvalidFile, with the line and the field."""
    try:
        return form.model_validate(read.value)
    except ValidationError as error:
        first = error.errors(include_input=False, include_url=False)[0]
        path = _in_data(read.value, first["loc"])
        where = field_path(path)
        if first["type"] == "extra_forbidden":
            raise InvalidFile(
                f"There is no field “{path[-1]}” here ({where}). Is it misspelt?",
                line=read.line(path),
                field=where,
            ) from error
        message = first["msg"].removeprefix("Value error, ")
        raise InvalidFile(f"{where}: {message}.", line=read.line(path), field=where) from error


def _in_data(value: Any, location: Sequence[int | str]) -> Path:
    """The place in what was read: without the kinds that a reader of several forms puts between."""
    path: list[int | str] = []
    for number, step in enumerate(location):
        here = isinstance(value, dict) and step in value
        if here or (isinstance(value, list) and isinstance(step, int) and step < len(value)):
            value = value[step]
        elif number < len(location) - 1:
            continue
        path.append(step)
    return tuple(path)
