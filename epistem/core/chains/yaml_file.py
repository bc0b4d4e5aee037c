"""A chain out of a YAML file."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from pydantic import Field

from epistem.core.chains.content import Chain
from epistem.core.errors import EpistemError, InvalidFile
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.yaml_file import MAX_FILE_CHARACTERS
from epistem.core.prompts.yaml_read import Read, held_against, read_yaml
from epistem.core.shapes import said

FORMAT = "chain/1"
Named = Callable[[str], Prompt]
"""The prompt that a reference (`desk-reply@3`) names."""


class ChainFile(Chain):
    """What a file holds: the name and what the desk says of the chain, then its content."""

    epistem: str = Field(FORMAT, description="The format of this file.")
    name: str = Field(max_length=63)
    about: str = said("", max_length=200)

    @property
    def content(self) -> Chain:
        return Chain.from_json({name: getattr(self, name) for name in Chain.model_fields})


def chain_from_yaml(text: str, named: Named) -> ChainFile:
    """A step's prompt stands in it, or is named by its version: then `named` tells it. Raises InvalidFile, with the
    line, for what is no YAML, has an unknown field, a kind of step that there is not, or a wrong type."""
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
    for holder, path in _with_named_prompts(read):
        try:
            holder["prompt"] = named(holder["prompt"]).to_json()
        except EpistemError as error:
            where = ".".join(map(str, path))
            raise InvalidFile(error.message, line=read.line(path), field=where) from error
    return held_against(ChainFile, read)


def _with_named_prompts(read: Read) -> Iterator[tuple[dict[str, Any], tuple[str | int, ...]]]:
    """What holds a prompt by its name, and where that stands."""
    waiting: list[tuple[Any, tuple[str | int, ...]]] = [(read.value.get("steps"), ("steps",))]
    while waiting:
        value, path = waiting.pop()
        if isinstance(value, list):
            waiting += [(each, (*path, at)) for at, each in enumerate(value)]
        elif isinstance(value, dict):
            if isinstance(value.get("prompt"), str):
                yield value, (*path, "prompt")
            waiting += [
                (value[name], (*path, name))
                for name in ("steps", "ways", "branches", "otherwise")
                if name in value
            ]
