"""The inputs of a prompt that are filled with passages which are looked up."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple, TypeVar

from epistem.core.engine.needs import Found, FoundPassage, LookUp, Program
from epistem.core.engine.run import Run
from epistem.core.prompts.content import Input, Prompt
from epistem.core.prompts.dialogue import Turn, first_words
from epistem.core.prompts.looking_up import LookingUp

Looked = TypeVar("Looked")
MOST_QUESTION = 4_000
"""Characters of a question that are looked up: of a longer one its beginning."""
PRESUMED = "A passage of some length, as one is found, of which nobody knows what it says yet. " * 8


class FoundIn(NamedTuple):
    """What was found for an input, with how it was looked up: `looking.version` is the one that was meant."""

    input: str
    looking: LookingUp
    question: str
    passages: tuple[FoundPassage, ...]


def looked_up(prompt: Prompt, inputs: Mapping[str, Any]) -> list[tuple[Input, LookingUp]]:
    """The inputs that passages are looked up for: those that these inputs do not give themselves."""
    return [
        (each, each.look_up)
        for each in prompt.inputs
        if each.kind == "passages" and each.look_up is not None and not inputs.get(each.name)
    ]


def filled(
    prompt: Prompt, inputs: Mapping[str, Any], turns: Sequence[Turn] = (), at: str = "0"
) -> Program[tuple[dict[str, Any], tuple[FoundIn, ...]]]:
    """The inputs with what is found in them. Paths are `at.input`. A question without words finds nothing,
    and nobody is asked."""
    told, found = dict(inputs), []
    for each, looking in looked_up(prompt, inputs):
        question = question_of(prompt, inputs, turns, looking)
        given = Found(looking.version or 0, ())
        if question:
            given = yield LookUp(f"{at}.{each.name}", looking, question)
        version = {"version": given.version or None}
        there = FoundIn(each.name, looking.model_copy(update=version), question, given.passages)
        found.append(there)
        told[each.name] = as_input(there.passages)
    return told, tuple(found)


def question_of(
    prompt: Prompt, inputs: Mapping[str, Any], turns: Sequence[Turn], looking: LookingUp
) -> str:
    """What is asked: the text of an input, or what the person said last."""
    said = [turn.text for turn in turns if turn.role == "user"]
    if looking.question:
        told = inputs.get(looking.question, "")
    elif said:
        told = said[-1]
    else:
        told = inputs.get(first_words(prompt) or "", "")
    return (told if isinstance(told, str) else str(told or "")).strip()[:MOST_QUESTION]


def asks_anew(prompt: Prompt, inputs: Mapping[str, Any]) -> bool:
    """Whether what is found changes with what the person says in a talk."""
    return any(not looking.question for _, looking in looked_up(prompt, inputs))


def as_input(passages: Sequence[FoundPassage]) -> list[dict[str, str]]:
    """As an input of passages has them; `id` is the reference."""
    return [{"id": p.reference, "title": p.title, "text": p.text} for p in passages]


def presumed(prompt: Prompt, inputs: Mapping[str, Any]) -> dict[str, Any]:
    """The inputs with passages of a usual length in place of what will be found: for an estimate."""
    told = dict(inputs)
    for each, looking in looked_up(prompt, inputs):
        told[each.name] = [{"id": "a#1", "title": "", "text": PRESUMED}] * looking.most
    return told


def with_look_ups(prompt: Prompt, changed: Mapping[str, LookingUp]) -> Prompt:
    """The prompt, with other look-ups for the inputs of these names."""
    if not changed:
        return prompt
    inputs = [
        each.model_copy(update={"look_up": changed[each.name]}) if each.name in changed else each
        for each in prompt.inputs
    ]
    return prompt.model_copy(update={"inputs": inputs})


def looked_through(program: Program[Looked], find: Callable[[LookUp], Found]) -> Looked:
    """The result of a program that needs nothing but passages. Raises what `find` raises."""
    run = Run(program)
    while (need := run.need) is not None:
        assert isinstance(need, LookUp), "only passages are looked up here"
        run.give(find(need))
    assert run.result is not None
    return run.result
