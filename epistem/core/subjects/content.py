"""The content of a subject, in a draft or a version: a union by kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt, blank_prompt
from epistem.core.prompts.dialogue import first_words
from epistem.core.prompts.doubts import doubts_of
from epistem.core.prompts.inputs import inputs_of, unused_inputs
from epistem.core.prompts.problems import Problem, problems_of
from epistem.core.shapes import listed

Content = Prompt
"""Every kind of content there is; another kind joins by `|` here and an entry in KINDS."""


class OfKind(NamedTuple):
    """What is done with contents of one kind, whatever it is."""

    read: Callable[[Any], Content]
    blank: Callable[[], Content]
    problems: Callable[[Content], list[Problem]]
    doubts: Callable[[Content], list[Problem]]
    inputs: Callable[[Content], list[str]]
    unused: Callable[[Content], list[str]]
    first_words: Callable[[Content], str | None]


KINDS: Mapping[str, OfKind] = MappingProxyType(
    {
        "prompt": OfKind(
            read=Prompt.from_json,
            blank=blank_prompt,
            problems=problems_of,
            doubts=doubts_of,
            inputs=inputs_of,
            unused=unused_inputs,
            first_words=first_words,
        ),
    }
)
USUAL = "prompt"


def of_kind(content: Content) -> OfKind:
    return KINDS[content.kind]


def content_from_json(told: Any) -> Content:
    """Read by the `kind` that it names, else as a prompt. Raises InvalidInput, naming the field."""
    kind = told.get("kind", USUAL) if isinstance(told, dict) else USUAL
    if not isinstance(kind, str) or kind not in KINDS:
        raise InvalidInput(
            f"There is no kind of subject “{str(kind)[:40]}”; there is {listed(list(KINDS))}.",
            field="kind",
        )
    return KINDS[kind].read(told)
