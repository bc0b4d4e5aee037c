"""The checks there are, by key, loaded on first use."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import import_module

from pydantic import Field

from epistem.core.checks.base import Check
from epistem.core.checks.signature import format_signature
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import Document, listed

CHECKS = {
    "structure.reply_schema": "epistem.core.checks.structure.reply_schema:ReplySchema",
    "outcome.label": "epistem.core.checks.outcome.label:LabelIsRight",
    "outcome.must_not_say": "epistem.core.checks.outcome.must_not_say:MustNotSay",
    "tone.stock_phrases": "epistem.core.checks.tone.stock_phrases:NoStockPhrases",
}


class CheckUse(Document):
    """A check with its options, as attached to a subject or kept in a trial's plan."""

    check: str
    options: dict[str, object] = Field(default_factory=dict)
    margin: float = Field(
        2.0, ge=0, le=100, description="The difference that does not matter, in points of 100."
    )


@dataclass(frozen=True)
class Measure:
    """One row of evidence: an aspect of a check, with the margin it is judged by."""

    index: int
    key: str
    title: str
    margin: float
    signature: str


@cache
def check_class(key: str) -> type[Check]:
    """Raises InvalidInput for a key that is not in the list."""
    if key not in CHECKS:
        raise InvalidInput(f"There is no check “{key}”. There are {listed(sorted(CHECKS), 'and')}.")
    module, name = CHECKS[key].split(":")
    found: type[Check] = getattr(import_module(module), name)
    return found


def build(use: CheckUse, reply: ReplyShape, *, at: str = "checks") -> Check:
    """The check, ready to judge answers of this reply shape. Raises InvalidInput naming the option."""
    cls = check_class(use.check)
    return cls(cls.Options.from_json(use.options, at=f"{at}.options"), reply)


def measures_of(uses: list[CheckUse]) -> list[Measure]:
    """The rows of evidence that these checks give, in their order."""
    found: list[Measure] = []
    for position, use in enumerate(uses):
        cls = check_class(use.check)
        options = cls.Options.from_json(use.options, at=f"checks.{position}.options")
        for aspect in cls.aspects:
            fields = {"check": cls.key, "aspect": aspect.key, "v": cls.version}
            fields |= options.model_dump(mode="json") | {"lib": cls.library}
            key = f"{cls.key}/{aspect.key}" if aspect.key else cls.key
            found.append(
                Measure(len(found), key, aspect.title, use.margin, format_signature(fields))
            )
    return found


def usual_checks(reply: ReplyShape) -> list[CheckUse]:
    """The checks that a subject with this reply shape starts with."""
    keys = ["tone.stock_phrases"]
    if reply.kind != "text":
        keys.insert(0, "outcome.label")
    if reply.kind == "json" and reply.json_schema is not None:
        keys.insert(1, "structure.reply_schema")
    return [CheckUse(check=key, options={}, margin=2.0) for key in keys]
