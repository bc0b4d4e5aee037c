"""A chain's YAML as somebody wrote it, with other values in it: comments and order stay where they can."""

from __future__ import annotations

import io
import re
from collections.abc import Mapping
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq
from ruamel.yaml.scalarstring import LiteralScalarString

from epistem.core.chains.content import Chain
from epistem.core.chains.yaml_file import as_written, chain_from_yaml, chain_to_yaml, read_chain
from epistem.core.errors import InvalidFile
from epistem.core.prompts.yaml_file import LONG

MOST_SOURCE = 200_000
"""Characters: of a longer text keeping what is around the values would take seconds at each edit."""
_INDENTED = re.compile(r"^(\w+):[ ]*\n( *)- ", re.M)


def with_content(source: str, name: str, about: str, tags: list[str], content: Chain) -> str:
    """The text with this content. One that can't be kept so is written anew."""
    plain = chain_to_yaml(name, about, tags, content)
    if len(source) > MOST_SOURCE:
        return plain
    wanted = read_chain(plain).value
    try:
        if _says(source, name, content):
            return source
        text = _merged(source, wanted)
        if _says(text, name, content):
            return text
    except InvalidFile:
        pass
    except (
        Exception
    ):  # what a reader of YAML raises on text that it was not made for has many kinds
        pass
    return plain


def _says(text: str, name: str, content: Chain) -> bool:
    """Whether it is read as that, what is kept elsewhere apart."""
    read = chain_from_yaml(text)
    return read.name == name and as_written(read.content.to_json()) == as_written(content.to_json())


def _merged(source: str, wanted: Mapping[str, Any]) -> str:
    found = _INDENTED.search(source)
    offset = len(found.group(2)) if found else 0
    yaml = YAML(typ="rt")
    yaml.preserve_quotes = True
    yaml.width = 10**6
    yaml.indent(mapping=2, sequence=2 + offset, offset=offset)
    data = yaml.load(source)
    _into(data, wanted)
    out = io.StringIO()
    yaml.dump(data, out)
    return out.getvalue()


def _into(there: CommentedMap, wanted: Mapping[str, Any]) -> None:
    for key in [key for key in there if key not in wanted]:
        del there[key]
    for key, value in wanted.items():
        there[key] = _value(there.get(key), value)


def _value(there: Any, wanted: Any) -> Any:
    if isinstance(wanted, Mapping):
        if isinstance(there, CommentedMap):
            _into(there, wanted)
            return there
        return {key: _value(None, value) for key, value in wanted.items()}
    if isinstance(wanted, list):
        return _list(there, wanted)
    if isinstance(wanted, str) and wanted != there:
        several = "\n" in wanted or len(wanted) > LONG
        return LiteralScalarString(wanted) if several else wanted
    same = there == wanted and isinstance(there, bool) == isinstance(wanted, bool)
    return there if same else wanted


def _list(there: Any, wanted: list[Any]) -> Any:
    if not isinstance(there, CommentedSeq):
        return [_value(None, each) for each in wanted]
    if len(there) == len(wanted):
        for at, each in enumerate(wanted):
            there[at] = _value(there[at], each)
        return there
    named = {each["name"]: each for each in there if isinstance(each, Mapping) and "name" in each}
    items = [
        _value(named.get(each.get("name")) if isinstance(each, Mapping) else None, each)
        for each in wanted
    ]
    there[:] = items
    return there
