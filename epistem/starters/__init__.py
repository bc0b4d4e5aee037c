"""Prompts to begin with, one a kind of work. Each is a YAML file as prompts are exported, with a
title, a sentence on when to use it, and a sample of its inputs."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Any

import yaml

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.shapes import listed

KEYS = ("sort", "extract", "answer", "rewrite", "collect", "review", "score")


@dataclass(frozen=True)
class Starter:
    key: str
    title: str
    when: str
    sample: dict[str, Any]
    content: Prompt


@cache
def all_of() -> list[Starter]:
    return [_read(key) for key in KEYS]


def get(key: str) -> Starter:
    """Raises InvalidInput, listing those there are."""
    found = next((starter for starter in all_of() if starter.key == key), None)
    if found is None:
        message = f"There is no starter “{key}”. There are {listed(KEYS, 'and')}."
        raise InvalidInput(message, field="starter")
    return found


def _read(key: str) -> Starter:
    told = yaml.safe_load((resources.files(__name__) / f"{key}.yaml").read_text("utf-8"))
    return Starter(
        key, told["title"], told["when"], told["sample"], Prompt.from_json(told["content"], at=key)
    )
