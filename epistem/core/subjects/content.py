"""The content of a subject, in a draft or a version: a union by kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

from epistem.core.chains.content import Chain
from epistem.core.chains.depends import ledger, names_in
from epistem.core.chains.faults import faults_of
from epistem.core.chains.kinds import Ask, StateValue
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Input, Prompt, blank_prompt
from epistem.core.prompts.dialogue import first_words
from epistem.core.prompts.doubts import doubts_of
from epistem.core.prompts.inputs import inputs_of, unused_inputs
from epistem.core.prompts.problems import Problem, problems_of
from epistem.core.shapes import listed

Content = Prompt | Chain
"""Every kind of content there is; another kind joins by `|` here and an entry in KINDS."""


class OfKind(NamedTuple):
    """What is done with contents of one kind, each function with one of its own kind."""

    read: Callable[[Any], Content]
    blank: Callable[[], Content]
    problems: Callable[[Any], list[Problem]]
    doubts: Callable[[Any], list[Problem]]
    inputs: Callable[[Any], list[str]]
    unused: Callable[[Any], list[str]]
    first_words: Callable[[Any], str | None]


def _blank_chain() -> Chain:
    """What a new chain starts from: one step that asks."""
    ask = Ask(kind="ask", name="answer", prompt=blank_prompt(), model="", writes="answer")
    return Chain(
        inputs=[Input(name="message")],
        state=[StateValue(name="answer")],
        steps=[ask],
        outputs={"answer": "answer"},
    )


def _problems_of_chain(chain: Chain) -> list[Problem]:
    return [each for stops, each in _told_of(chain) if stops]


def _doubts_of_chain(chain: Chain) -> list[Problem]:
    return [each for stops, each in _told_of(chain) if not stops]


def _told_of(chain: Chain) -> list[tuple[bool, Problem]]:
    """The place of a step stands where that of a part does in a prompt."""
    return [
        (fault.stops, Problem(fault.field, fault.message, fault.at or None))
        for fault in faults_of(chain)
    ]


def _inputs_of_chain(chain: Chain) -> list[str]:
    return [each.name for each in chain.inputs]


def _unread(chain: Chain) -> list[str]:
    read = {name for row in ledger(chain) for name in row.reads}
    read |= {name for told in chain.outputs.values() for name in names_in(told)}
    return [each.name for each in chain.inputs if each.name not in read]


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
        "chain": OfKind(
            read=Chain.from_json,
            blank=_blank_chain,
            problems=_problems_of_chain,
            doubts=_doubts_of_chain,
            inputs=_inputs_of_chain,
            unused=_unread,
            first_words=lambda chain: None,
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


def prompt_in(content: Content, name: str = "") -> Prompt:
    """The same, where it is a prompt. Raises InvalidInput for one of another kind."""
    if not isinstance(content, Prompt):
        raise InvalidInput(
            f"{f'“{name}”' if name else 'It'} is a chain, not a prompt.", field="kind"
        )
    return content


def inputs_asked(content: Content) -> list[str]:
    """The names of the inputs that it asks for."""
    return of_kind(content).inputs(content)
