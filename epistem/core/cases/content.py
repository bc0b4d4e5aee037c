"""What a case is."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from epistem.core.prompts.inputs import check_inputs
from epistem.core.shapes import Document

TITLE_CHARACTERS = 120


class Expectation(Document):
    """What is expected of the answer. Nothing given means nothing is expected."""

    label: str | None = Field(None, max_length=200)


class Case(Document):
    inputs: dict[str, Any] = Field(default_factory=dict)
    expect: Expectation = Field(default_factory=Expectation)
    tags: list[str] = Field(default_factory=list, max_length=50)
    origin: str = Field("", max_length=200, description="Where the case came from, in a few words.")


def title_of(case: Case) -> str:
    """The first input's first line, shortened: what a list shows."""
    for value in case.inputs.values():
        text = value if isinstance(value, str) else repr(value)
        first = next((line.strip() for line in text.splitlines() if line.strip()), "")
        if first:
            return first if len(first) <= TITLE_CHARACTERS else first[: TITLE_CHARACTERS - 1] + "…"
    return "(empty)"


def checked(case: Case) -> Case:
    """The case with its tags tidied. Raises InvalidInput naming an input that is too long."""
    check_inputs(case.inputs)
    tags = list(dict.fromkeys(tag.strip().lower() for tag in case.tags if tag.strip()))
    label = (case.expect.label or "").strip() or None
    return case.model_copy(update={"tags": tags, "expect": Expectation(label=label)})
