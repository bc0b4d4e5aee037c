"""The checks there are, by key, loaded on first use."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from typing import Any

from pydantic import Field

from epistem.core.checks.base import Check, Options
from epistem.core.checks.signature import digest, format_signature, with_version
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


def measures_of(uses: Sequence[CheckUse], *replies: ReplyShape) -> list[Measure]:
    """The rows of evidence that these checks give, in their order, for answers of these shapes.

    A check that is used twice makes a row each time, told apart by key and title.
    """
    found: list[Measure] = []
    told = _options_of(uses)
    for position, (use, options) in enumerate(zip(uses, told, strict=True)):
        cls = check_class(use.check)
        earlier = sum(other.check == use.check for other in uses[:position])
        mark = f"#{earlier + 1}" if earlier else ""
        apart = _told_apart(position, uses, told)
        resolved = _merged([cls.resolved(options, reply) for reply in replies or (ReplyShape(),)])
        for aspect in cls.aspects:
            fields = {"check": cls.key, "aspect": aspect.key, "v": cls.version, **resolved}
            fields["lib"] = ",".join(with_version(library) for library in cls.libraries)
            key = f"{cls.key}/{aspect.key}" if aspect.key else cls.key
            signature = format_signature(fields)
            found.append(
                Measure(len(found), key + mark, aspect.title + apart, use.margin, signature)
            )
    return found


def check_uses(uses: Sequence[CheckUse]) -> None:
    """Raises InvalidInput for a check that isn't there, for wrong options, or one attached twice alike."""
    told = _options_of(uses)
    for position, use in enumerate(uses):
        alike = [
            at
            for at in range(position)
            if uses[at].check == use.check and told[at] == told[position]
        ]
        if alike:
            raise InvalidInput(
                f"“{use.check}” is attached twice with the same options. Change an option, or leave "
                "one out.",
                field=f"checks.{position}.check",
            )


def _options_of(uses: Sequence[CheckUse]) -> list[Options]:
    return [
        check_class(use.check).Options.from_json(use.options, at=f"checks.{position}.options")
        for position, use in enumerate(uses)
    ]


def _told_apart(position: int, uses: Sequence[CheckUse], told: Sequence[Options]) -> str:
    """What a title needs where the same check is used more than once: the options that differ."""
    same = [at for at, use in enumerate(uses) if use.check == uses[position].check]
    if len(same) < 2:
        return ""
    each = {at: told[at].model_dump(mode="json") for at in same}
    own = each[position]
    varied = [name for name in own if any(each[at][name] != own[name] for at in same)]
    words = [f"{name.replace('_', ' ')}: {_short(own[name])}" for name in varied]
    return f" ({', '.join(words)})" if words else f" ({same.index(position) + 1})"


def _short(value: Any) -> str:
    if value is None:
        return "as usual"
    if isinstance(value, dict | list) and not (isinstance(value, list) and len(value) < 4):
        return digest(value)
    text = ", ".join(map(str, value)) or "none" if isinstance(value, list) else str(value)
    return text if len(text) <= 40 else f"{text[:39]}…"


def _merged(each: Sequence[dict[str, Any]]) -> dict[str, Any]:
    """One value where all shapes give the same, else those there are, in order."""
    merged = {}
    for name in dict.fromkeys(name for fields in each for name in fields):
        values: list[Any] = []
        for fields in each:
            if name in fields and fields[name] not in values:
                values.append(fields[name])
        merged[name] = values[0] if len(values) == 1 else values
    return merged


def usual_checks(reply: ReplyShape) -> list[CheckUse]:
    """The checks that a subject with this reply shape starts with."""
    keys = ["tone.stock_phrases"]
    if reply.kind != "text":
        keys.insert(0, "outcome.label")
    if reply.kind == "json" and reply.json_schema is not None:
        keys.insert(1, "structure.reply_schema")
    return [CheckUse(check=key, options={}, margin=2.0) for key in keys]
