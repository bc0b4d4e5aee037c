"""Subjects as YAML files, of whichever kind they are."""

from __future__ import annotations

import re

from epistem.core.chains.content import Chain
from epistem.core.chains.yaml_file import FORMAT as CHAIN
from epistem.core.chains.yaml_file import ChainFile, chain_from_yaml, chain_to_yaml
from epistem.core.prompts.yaml_file import PromptFile, from_yaml, to_yaml
from epistem.core.subjects.content import Content

SubjectFile = PromptFile | ChainFile
_OF_CHAIN = re.compile(rf"^epistem:\s*[\"']?{CHAIN}", re.M)


def file_of(name: str, about: str, tags: list[str], content: Content) -> str:
    """The file's text, ending in a line break."""
    if isinstance(content, Chain):
        return chain_to_yaml(name, about, tags, content)
    return to_yaml(name, about, tags, content)


def read_file(text: str) -> SubjectFile:
    """Raises InvalidFile, with the line."""
    return chain_from_yaml(text) if _OF_CHAIN.search(text) else from_yaml(text)
