"""What a check may know of a reading besides its answer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache
from types import MappingProxyType

from epistem.core.cases.content import Case
from epistem.core.cases.talk import NOBODY, Talked, talked
from epistem.core.chains.content import Chain
from epistem.core.checks.base import Answer, Ground, Said, Spent, ToolUse
from epistem.core.engine.answers import Answered
from epistem.core.engine.looking import FoundIn, as_input
from epistem.core.engine.needs import FoundPassage
from epistem.core.prompts.dialogue import Turn, render_talk
from epistem.core.prompts.rename import with_old_names
from epistem.core.subjects.content import Content


def ground_of(
    content: Content,
    case: Case,
    aliases: Mapping[str, str] = MappingProxyType({}),
    found: Sequence[FoundIn] = (),
) -> Ground:
    """Of a case that this prompt is asked, with what was looked up for the answer; the request is filled in
    once, when a check wants it. What a chain is asked are its inputs."""
    inputs = {**case.inputs, **found_inputs(found)} if found else case.inputs

    @cache
    def asked() -> tuple[Said, ...]:
        told = with_old_names(inputs, aliases)
        if isinstance(content, Chain):
            lines = (f"{name}: {value}" for name, value in told.items())
            return (Said("user", "\n".join(lines)),)
        messages = render_talk(content, told)
        return tuple(Said(message.role, message.text) for message in messages)

    return Ground(content.reply, case.expect, inputs, asked, case.pair)


def found_inputs(found: Sequence[FoundIn]) -> dict[str, list[dict[str, str]]]:
    """By input; of a talk all that was found for any of its answers, each passage once, in order."""
    told: dict[str, dict[str, FoundPassage]] = {}
    for each in found:
        there = told.setdefault(each.input, {})
        for passage in each.passages:
            there.setdefault(passage.reference, passage)
    return {name: as_input(list(there.values())) for name, there in told.items()}


def answer_to(
    answers: Sequence[Answered],
    case: Case | None = None,
    spent: Spent | None = None,
    replies: Mapping[int, str] = NOBODY,
) -> Answer:
    """The last answer of a talk, after what the case's person said between the answers before it; `replies`
    are those of the model that plays them."""
    texts = [each.reply.text for each in answers]
    told = Talked([], None) if case is None else talked(case, texts, replies)
    said, ended = told.said, told.ended or ""
    before: list[Turn] = []
    for earlier, words in zip(answers, said, strict=False):
        before.append(Turn.model_construct(role="assistant", text=earlier.reply.text))
        before.append(Turn.model_construct(role="user", text=words))
    tools = [
        ToolUse(used.call.name, used.call.arguments) for each in answers for used in each.tools
    ]
    last = answers[-1].reply
    return Answer(last.text, last.finish_reason, tuple(before), tuple(tools), spent, ended)
