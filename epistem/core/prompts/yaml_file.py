"""A prompt as a YAML file, and back: the same content, the same hash."""

from __future__ import annotations

import re
from functools import partial
from typing import Any, cast

import yaml
from pydantic import Field

from epistem.core.errors import InvalidFile
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.yaml_read import PLAIN, held_against, read_yaml
from epistem.core.shapes import Tag, said

FORMAT = "prompt/1"
MAX_FILE_CHARACTERS = 5_000_000
LONG = 72
"""A text of more characters is a block of its own, never folded: a changed word changes its line alone."""


class PromptFile(Prompt):
    """What a file holds: the name and what the desk says of the prompt, then its content."""

    epistem: str = Field(FORMAT, description="The format of this file.")
    name: str = Field(max_length=63)
    about: str = said("", max_length=200)
    tags: list[Tag] = said(max_length=50)

    @property
    def content(self) -> Prompt:
        return Prompt.from_json({name: getattr(self, name) for name in Prompt.model_fields})


def to_yaml(name: str, about: str, tags: list[str], content: Prompt) -> str:
    """The file's text, ending in a line break."""
    head: dict[str, Any] = {"epistem": FORMAT, "name": name}
    head |= {"about": about} if about else {}
    head |= {"tags": list(tags)} if tags else {}
    return yaml_of({**head, **content.to_json()})


def yaml_of(told: dict[str, Any]) -> str:
    """Plain data as YAML that is read as just this."""
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
    read = read_yaml(text)
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
    return held_against(PromptFile, read)


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


for _kind, _pattern, _first in PLAIN:
    _Quotes.add_implicit_resolver(
        f"tag:yaml.org,2002:{_kind}", re.compile(rf"(?:{_pattern})\Z"), _first
    )
_Blocks.yaml_implicit_resolvers = _Quotes.yaml_implicit_resolvers
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
        return bool(read_yaml(text).value == told)
    except InvalidFile:
        return False
