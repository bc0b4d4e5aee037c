"""What a case is."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from pydantic import Field

from epistem.core.cases.pair import Pair
from epistem.core.cases.person import Ended, Person
from epistem.core.prompts.content import MAX_PART_CHARACTERS
from epistem.core.prompts.inputs import check_inputs
from epistem.core.prompts.tool import ToolTold
from epistem.core.shapes import Document, Tag, said
from epistem.core.words import folded

TITLE_CHARACTERS = 120
SEARCHED_CHARACTERS = 20_000


class CollectedFact(Document):
    """What a talk is to find out. `by`: after so many answers at the latest; 0 is with the first words."""

    what: str = Field(max_length=80)
    value: str = Field(max_length=400, description="A bar between ways to say it.")
    by: int | None = said(None, ge=0, le=400)


class ToolWanted(Document):
    """`arguments` are fields that it is called with, among others."""

    name: str = Field(max_length=80)
    arguments: dict[str, Any] = said(of=dict)


class Expectation(Document):
    """What is expected of the answer. Nothing given means nothing is expected."""

    label: str | None = Field(None, max_length=200)
    labels: list[str] = said(
        max_length=50, description="Other labels that would be right, too, beside `label`."
    )
    answer: str | None = Field(
        None, max_length=MAX_PART_CHARACTERS, description="An answer that would be right."
    )
    must_say: list[str] = said(max_length=50, description="Words that must stand in the answer.")
    must_not_say: list[str] = said(
        max_length=50, description="Words that must not stand in the answer."
    )
    known: bool | None = said(
        None, description="Whether the inputs say what is asked; if not, the answer should say so."
    )
    refuse: bool | None = said(
        None, description="Whether the answer should decline what is asked; false: it must not."
    )
    ends: Ended | None = said(None, description="How the talk should end.")
    collect: list[CollectedFact] = said(max_length=50, description="What the talk is to find out.")
    result: str = said(
        "", max_length=400, description="Words that give the result, which comes after the facts."
    )
    never_asks: list[str] = said(max_length=50, description="What it must not ask for.")
    goodbye: bool | None = said(None, description="Whether it says goodbye once, at the end.")
    tools: list[ToolWanted] = said(
        max_length=50, description="Tools that are called, in this order."
    )
    never_tools: list[str] = said(max_length=50, description="Tools that are never called.")
    query: str = said("", max_length=20_000, description="A query whose rows are the right ones.")
    source: str = said("", max_length=63, description="The source that queries are run on.")
    steps: dict[str, Any] = said(
        of=dict, description="What steps of a chain should write, by their names."
    )
    within: float | None = said(
        None, ge=0, le=1e12, description="How far numbers may be off the right answer's."
    )


class Labelled(Document):
    """A label that somebody gave it."""

    by: str = Field(max_length=80)
    label: str = Field(max_length=200)


class Case(Document):
    inputs: dict[str, Any] = Field(default_factory=dict)
    expect: Expectation = Field(default_factory=Expectation)
    tags: list[Tag] = Field(default_factory=list, max_length=50)
    turns: list[str] = said(
        max_length=200, description="What the person says next, turn by turn, after the inputs."
    )
    person: Person | None = said(
        None, description="What the person says after the turns, by rules that answers meet."
    )
    tool_answers: list[ToolTold] = said(
        max_length=200, description="What tools answer for this case, before what they answer else."
    )
    step: str = said(
        "",
        max_length=80,
        description="The step of a chain that it is of: its inputs are what that step was given.",
    )
    pair: Pair | None = said(
        None, description="The case that this one is, but for something that changed."
    )
    origin: str = Field("", max_length=200, description="Where the case came from, in a few words.")
    key: str = said(
        "",
        max_length=200,
        description="What it is called where it came from, such as a number there.",
    )
    labelled: list[Labelled] = said(
        max_length=50, description="Who gave it which label; they may disagree."
    )
    note: str = said("", max_length=4_000, description="What is worth knowing of it.")
    owner: str = said("", max_length=80, description="Who answers for it.")


def disagree(case: Case) -> bool:
    """Whether people gave it different labels."""
    return len({folded(each.label) for each in case.labelled}) > 1


def title_of(case: Case) -> str:
    """The first input's first line, shortened: what a list shows."""
    for value in case.inputs.values():
        if is_picture(value):
            continue
        first = next(
            (line.strip() for line in shown_in_words(value).splitlines() if line.strip()), ""
        )
        if first:
            return first if len(first) <= TITLE_CHARACTERS else first[: TITLE_CHARACTERS - 1] + "…"
    pictured = any(is_picture(value) for value in case.inputs.values())
    return "(a picture)" if pictured else "(empty)"


def words_of(case: Case) -> str:
    """What the case is searched by, in small letters: inputs, turns, what is expected, and tags.

    A very long case is searched by its beginning.
    """
    told = [shown_in_words(value) for value in case.inputs.values() if not is_picture(value)]
    expect = case.expect
    told += [*case.turns, expect.label or "", *expect.labels, expect.answer or ""]
    if case.person:
        told += [words for rule in case.person.rules for words in (rule.asked, *rule.say)]
        told += case.person.otherwise
        if case.person.persona:
            persona = case.person.persona
            told += [persona.about, persona.goal, *(fact.value for fact in persona.facts)]
    told += [word for fact in expect.collect for word in (fact.what, fact.value)]
    told += [*expect.must_say, *expect.must_not_say, *case.tags, case.key, case.note, case.owner]
    return "\n".join(each[:SEARCHED_CHARACTERS] for each in told)[:SEARCHED_CHARACTERS].casefold()


def is_picture(value: Any) -> bool:
    """Whether an input is an image, as far as its beginning tells."""
    return isinstance(value, str) and value.startswith("data:image/")


def shown_in_words(value: Any) -> str:
    """`pier: Hollin, seats: 2` for a record."""
    match value:
        case str():
            return value
        case dict():
            return ", ".join(f"{key}: {shown_in_words(each)}" for key, each in value.items())
        case list():
            return ", ".join(map(shown_in_words, value))
        case None:
            return ""
    return json.dumps(value)


def checked(case: Case) -> Case:
    """The case with its tags tidied. Raises InvalidInput naming an input that is too long."""
    check_inputs(case.inputs)
    tags = list(dict.fromkeys(tag.strip().lower() for tag in case.tags if tag.strip()))
    told = case.expect
    labels = tidied([told.label or "", *told.labels])
    expect = told.model_copy(
        update={
            "label": labels[0] if labels else None,
            "labels": labels[1:],
            "answer": (told.answer or "").strip() or None,
            "must_say": tidied(told.must_say),
            "must_not_say": tidied(told.must_not_say),
        }
    )
    more: dict[str, Any] = {name: getattr(case, name).strip() for name in ("key", "note", "owner")}
    labelled = [
        Labelled(by=each.by.strip(), label=each.label.strip())
        for each in case.labelled
        if each.label.strip()
    ]
    more["labelled"] = labelled
    return case.model_copy(update={"tags": tags, "expect": expect, **more})


def tidied(words: Sequence[str]) -> list[str]:
    """Without white space around them, each once, without empty ones."""
    return list(dict.fromkeys(word.strip() for word in words if word.strip()))
