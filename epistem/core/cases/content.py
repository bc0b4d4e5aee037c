"""What a case is."""

from __future__ import annotations

import json
from typing import Any

from pydantic import Field

from epistem.core.prompts.content import MAX_PART_CHARACTERS
from epistem.core.prompts.inputs import check_inputs
from epistem.core.shapes import Document, Tag, said

TITLE_CHARACTERS = 120
SEARCHED_CHARACTERS = 20_000


class Expectation(Document):
    """What is expected of the answer. Nothing given means nothing is expected."""

    label: str | None = Field(None, max_length=200)
    answer: str | None = Field(
        None, max_length=MAX_PART_CHARACTERS, description="An answer that would be right."
    )
    must_not_say: list[str] = said(
        max_length=50, description="Words that must not stand in the answer."
    )
    known: bool | None = said(
        None, description="Whether the inputs say what is asked; if not, the answer should say so."
    )
    refuse: bool | None = said(
        None, description="Whether the answer should decline what is asked; false: it must not."
    )


class Case(Document):
    inputs: dict[str, Any] = Field(default_factory=dict)
    expect: Expectation = Field(default_factory=Expectation)
    tags: list[Tag] = Field(default_factory=list, max_length=50)
    turns: list[str] = said(
        max_length=200, description="What the person says next, turn by turn, after the inputs."
    )
    origin: str = Field("", max_length=200, description="Where the case came from, in a few words.")


def title_of(case: Case) -> str:
    """The first input's first line, shortened: what a list shows."""
    for value in case.inputs.values():
        if _is_picture(value):
            continue
        first = next((line.strip() for line in _in_words(value).splitlines() if line.strip()), "")
        if first:
            return first if len(first) <= TITLE_CHARACTERS else first[: TITLE_CHARACTERS - 1] + "…"
    pictured = any(_is_picture(value) for value in case.inputs.values())
    return "(a picture)" if pictured else "(empty)"


def words_of(case: Case) -> str:
    """What the case is searched by, in small letters: inputs, turns, what is expected, and tags.

    A very long case is searched by its beginning.
    """
    told = [_in_words(value) for value in case.inputs.values() if not _is_picture(value)]
    expect = case.expect
    told += [*case.turns, expect.label or "", expect.answer or "", *expect.must_not_say, *case.tags]
    return "\n".join(each[:SEARCHED_CHARACTERS] for each in told)[:SEARCHED_CHARACTERS].casefold()


def _is_picture(value: Any) -> bool:
    return isinstance(value, str) and value.startswith("data:image/")


def _in_words(value: Any) -> str:
    """`pier: Hollin, seats: 2` for a record."""
    match value:
        case str():
            return value
        case dict():
            return ", ".join(f"{key}: {_in_words(each)}" for key, each in value.items())
        case list():
            return ", ".join(map(_in_words, value))
        case None:
            return ""
    return json.dumps(value)


def checked(case: Case) -> Case:
    """The case with its tags tidied. Raises InvalidInput naming an input that is too long."""
    check_inputs(case.inputs)
    tags = list(dict.fromkeys(tag.strip().lower() for tag in case.tags if tag.strip()))
    label = (case.expect.label or "").strip() or None
    phrases = list(dict.fromkeys(p.strip() for p in case.expect.must_not_say if p.strip()))
    expect = case.expect.model_copy(
        update={
            "label": label,
            "answer": (case.expect.answer or "").strip() or None,
            "must_not_say": phrases,
        }
    )
    return case.model_copy(update={"tags": tags, "expect": expect})
