"""A chain as a YAML file, and back: the same content, the same hash."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import Field

from epistem.core.chains.content import Chain
from epistem.core.errors import InvalidFile
from epistem.core.prompts.content import ReplyShape
from epistem.core.prompts.yaml_file import MAX_FILE_CHARACTERS, yaml_of
from epistem.core.prompts.yaml_read import Read, held_against, read_yaml
from epistem.core.shapes import Tag, said

FORMAT = "chain/1"
_AS_USUAL: Mapping[str, Any] = {"settings": {}, "reply": ReplyShape().to_json()}


class ChainFile(Chain):
    """What a file holds: the name and what the desk says of the chain, then its content."""

    epistem: str = Field(FORMAT, description="The format of this file.")
    name: str = Field(max_length=63)
    about: str = said("", max_length=200)
    tags: list[Tag] = said(max_length=50)

    @property
    def content(self) -> Chain:
        return Chain.from_json({name: getattr(self, name) for name in Chain.model_fields})


def chain_to_yaml(name: str, about: str, tags: list[str], content: Chain) -> str:
    """The file's text, ending in a line break. What is kept elsewhere is named by its version."""
    head: dict[str, Any] = {"epistem": FORMAT, "name": name}
    head |= {"about": about} if about else {}
    head |= {"tags": list(tags)} if tags else {}
    told = as_written(content.to_json())
    del told["kind"]
    return yaml_of({**head, **told})


def chain_from_yaml(text: str) -> ChainFile:
    """Raises InvalidFile, with the line, for what is no YAML, has an unknown field, a kind of step that there is not,
    or a wrong type."""
    return held_against(ChainFile, read_chain(text))


def read_chain(text: str) -> Read:
    """What stands in the file, with its lines. Raises InvalidFile where it is no file of a chain."""
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
    return read


def as_written(told: Any) -> Any:
    """The same as people write it: the reference in the place of what is kept elsewhere, and nothing that says no more
    than what is meant without it."""
    if isinstance(told, list):
        return [as_written(each) for each in told]
    if not isinstance(told, Mapping):
        return told
    plain = {name: as_written(each) for name, each in told.items()}
    for field, as_usual in _AS_USUAL.items():
        if plain.get(field) == as_usual:
            del plain[field]
    for field in ("prompt", "chain"):
        if "kind" in plain and plain.get("kept") and isinstance(plain.get(field), dict):
            plain[field] = plain.pop("kept")
    tool = plain.get("tool")
    if isinstance(tool, dict) and tool.get("kept"):
        plain["tool"] = tool["kept"]
    return plain
