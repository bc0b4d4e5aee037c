"""A chain out of a YAML file."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Protocol

from pydantic import Field

from epistem.core.chains.content import Chain
from epistem.core.errors import EpistemError, InvalidFile
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.tool import Tool
from epistem.core.prompts.yaml_file import MAX_FILE_CHARACTERS
from epistem.core.prompts.yaml_read import Read, held_against, read_yaml
from epistem.core.shapes import said

FORMAT = "chain/1"


class Named(Protocol):
    """What a reference (`desk-reply@3`) names."""

    def prompt(self, reference: str) -> Prompt: ...

    def tool(self, reference: str) -> Tool: ...


class ChainFile(Chain):
    """What a file holds: the name and what the desk says of the chain, then its content."""

    epistem: str = Field(FORMAT, description="The format of this file.")
    name: str = Field(max_length=63)
    about: str = said("", max_length=200)

    @property
    def content(self) -> Chain:
        return Chain.from_json({name: getattr(self, name) for name in Chain.model_fields})


def chain_from_yaml(text: str, named: Named) -> ChainFile:
    """A step's prompt and tool stand in it, or are named by their versions: then `named` tells them.

    Raises InvalidFile, with the line, for what is no YAML, has an unknown field, a kind of step that there is not, or
    a wrong type.
    """
    if len(text) > MAX_FILE_CHARACTERS:
        raise InvalidFile(
            f"The file has {len(text):,} characters; the limit is {MAX_FILE_CHARACTERS:,}.",
            line=None,
        )
    read = read_yaml(text)
    if not isinstance(read.value, dict) or read.value.get("epistem") != FORMAT:
        raise InvalidFile(
            f"The file does not begin with epistem: {FORMAT}, so it is no chain.",
            line=1,
            field="epistem",
        )
    for holder, field, path in _with_references(read):
        try:
            found = named.prompt(holder[field]) if field == "prompt" else named.tool(holder[field])
        except EpistemError as error:
            where = ".".join(map(str, path))
            raise InvalidFile(error.message, line=read.line(path), field=where) from error
        holder[field] = found.to_json()
    return held_against(ChainFile, read)


def _with_references(read: Read) -> Iterator[tuple[dict[str, Any], str, tuple[str | int, ...]]]:
    """What holds a prompt or a tool by its name, in which field, and where that stands."""
    waiting: list[tuple[Any, tuple[str | int, ...]]] = [(read.value.get("steps"), ("steps",))]
    while waiting:
        value, path = waiting.pop()
        if isinstance(value, list):
            waiting += [(each, (*path, at)) for at, each in enumerate(value)]
        elif isinstance(value, dict):
            for field in ("prompt", "tool"):
                if isinstance(value.get(field), str):
                    yield value, field, (*path, field)
            waiting += [
                (value[name], (*path, name))
                for name in ("steps", "ways", "branches", "otherwise")
                if name in value
            ]
