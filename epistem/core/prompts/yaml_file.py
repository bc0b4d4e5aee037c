"""A prompt as a YAML file, and back: the same content, the same hash."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import partial
from typing import Any, cast

import yaml
from pydantic import Field, ValidationError

from epistem.core.errors import InvalidFile
from epistem.core.prompts.content import Prompt
from epistem.core.shapes import field_path, said

FORMAT = "prompt/1"
MAX_FILE_CHARACTERS = 5_000_000
LONG = 72
"""A text of more characters is a block of its own, never folded: a changed word changes its line alone."""
Path = tuple[str | int, ...]


class PromptFile(Prompt):
    """What a file holds: the name and what the desk says of the prompt, then its content."""

    epistem: str = Field(FORMAT, description="The format of this file.")
    name: str = Field(max_length=63)
    about: str = said("", max_length=200)
    tags: list[str] = said(max_length=50)

    @property
    def content(self) -> Prompt:
        return Prompt.from_json({name: getattr(self, name) for name in Prompt.model_fields})


def to_yaml(name: str, about: str, tags: list[str], content: Prompt) -> str:
    """The file's text, ending in a line break."""
    head: dict[str, Any] = {"epistem": FORMAT, "name": name}
    head |= {"about": about} if about else {}
    head |= {"tags": list(tags)} if tags else {}
    told = {**head, **content.to_json()}
    text = _dumped(told, _Blocks)
    # A block of text can't hold every character as it is; then quotes are used throughout.
    return text if _same(text, told) else _dumped(told, _Quotes)


def from_yaml(text: str) -> PromptFile:
    """Raises InvalidFile, with the line, for what is no YAML, has an unknown field or a wrong type."""
    if len(text) > MAX_FILE_CHARACTERS:
        raise InvalidFile(
            f"The file has {len(text):,} characters; the limit is {MAX_FILE_CHARACTERS:,}.",
            line=None,
        )
    read = _read(text)
    if not isinstance(read.value, dict):
        raise InvalidFile("The file has no fields. It begins with: epistem: prompt/1", line=1)
    told = read.value.get("epistem")
    if told != FORMAT:
        raise InvalidFile(
            f"The file says epistem: {told}; this Epistem reads {FORMAT}."
            if told is not None
            else "The file does not begin with epistem: prompt/1, so it is no prompt.",
            line=read.line(("epistem",)),
            field="epistem",
        )
    try:
        return PromptFile.model_validate(read.value)
    except ValidationError as error:
        first = error.errors(include_input=False, include_url=False)[0]
        path = tuple(first["loc"])
        where = field_path(path)
        if first["type"] == "extra_forbidden":
            raise InvalidFile(
                f"There is no field “{path[-1]}” here ({where}). Is it misspelt?",
                line=read.line(path),
                field=where,
            ) from error
        message = first["msg"].removeprefix("Value error, ")
        raise InvalidFile(f"{where}: {message}.", line=read.line(path), field=where) from error


@dataclass
class _Read:
    """Plain data, and the line (from 1) at which each field of it stands."""

    value: Any = None
    lines: dict[Path, int] = field(default_factory=dict)

    def line(self, path: Path) -> int | None:
        """That of the field, or of the nearest one around it."""
        for end in range(len(path), -1, -1):
            if path[:end] in self.lines:
                return self.lines[path[:end]]
        return None


def _read(text: str) -> _Read:
    loader = None
    try:
        loader = _Loader(text)
        node = loader.get_single_node()
        read = _Read()
        read.value = None if node is None else _plain(loader, node, (), read.lines)
        return read
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        raise InvalidFile(
            f"The file is not YAML: {error.problem or error.context}.",
            line=mark.line + 1 if mark else None,
        ) from error
    except yaml.reader.ReaderError as error:
        line = text.count("\n", 0, int(error.position)) + 1
        raise InvalidFile(
            "The file holds a character that YAML does not allow.", line=line
        ) from error
    except RecursionError as error:
        raise InvalidFile("The file is nested too deeply.", line=None) from error
    finally:
        if loader is not None:
            loader.dispose()


def _plain(loader: _Loader, node: yaml.Node, path: Path, lines: dict[Path, int]) -> Any:
    lines.setdefault(path, node.start_mark.line + 1)
    if isinstance(node, yaml.SequenceNode):
        return [_plain(loader, each, (*path, at), lines) for at, each in enumerate(node.value)]
    if not isinstance(node, yaml.MappingNode):
        return loader.construct_object(node)
    record: dict[str, Any] = {}
    for key_node, value_node in node.value:
        line = key_node.start_mark.line + 1
        if not isinstance(key_node, yaml.ScalarNode):
            raise InvalidFile("The name of a field has to be a plain word.", line=line)
        key = str(key_node.value)
        if key in record:
            raise InvalidFile(f"The field “{key}” stands here twice.", line=line)
        lines[(*path, key)] = line
        record[key] = _plain(loader, value_node, (*path, key), lines)
    return record


class _Loader(yaml.SafeLoader):
    """Words stay words: only true, false, null and numbers have a type, as in YAML 1.2."""

    yaml_implicit_resolvers: dict[str, Any] = {}  # noqa: RUF012

    def compose_node(self, parent: Any, index: Any) -> Any:
        if self.check_event(yaml.AliasEvent):
            event: Any = self.peek_event()  # type: ignore[no-untyped-call]
            raise InvalidFile(
                f"The file uses the alias *{event.anchor}. Write it out instead.",
                line=event.start_mark.line + 1,
            )
        return super().compose_node(parent, index)


class _Quotes(yaml.SafeDumper):
    """Puts quotes around every text that any reader of YAML could take for something else."""

    yaml_implicit_resolvers = {  # noqa: RUF012
        first: list(rules) for first, rules in yaml.SafeDumper.yaml_implicit_resolvers.items()
    }

    def ignore_aliases(self, data: Any) -> bool:
        return True


class _Blocks(_Quotes):
    """Writes texts of several lines as blocks."""


def _text(style: str, dumper: Any, text: str) -> yaml.Node:
    several = len(text) > LONG or any(end in text for end in "\n\r\x85\u2028\u2029")
    node = dumper.represent_scalar("tag:yaml.org,2002:str", text, style=style if several else None)
    return cast(yaml.Node, node)


for _kind, _pattern, _first in (
    ("null", r"null|~|", ["n", "~", ""]),
    ("bool", r"true|false", ["t", "f"]),
    ("int", r"[-+]?[0-9]+", list("-+0123456789")),
    ("float", r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?", list("-+.0123456789")),
):
    for _rules in (_Loader, _Quotes):
        _rules.add_implicit_resolver(
            f"tag:yaml.org,2002:{_kind}", re.compile(rf"(?:{_pattern})\Z"), _first
        )
_Blocks.yaml_implicit_resolvers = _Quotes.yaml_implicit_resolvers
_Loader.add_constructor("tag:yaml.org,2002:int", lambda loader, node: int(node.value))
for _rules, _style in ((_Quotes, '"'), (_Blocks, "|")):
    _rules.add_representer(str, partial(_text, _style))


def _dumped(told: dict[str, Any], dumper: type[_Quotes]) -> str:
    text = yaml.dump(
        told,
        Dumper=dumper,
        sort_keys=False,
        allow_unicode=True,
        width=10**9,
        default_flow_style=False,
    )
    return str(text)


def _same(text: str, told: dict[str, Any]) -> bool:
    try:
        return bool(_read(text).value == told)
    except InvalidFile:
        return False
