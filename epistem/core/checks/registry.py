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
    "structure.json_value": "epistem.core.checks.structure.values:JsonValue",
    "structure.length": "epistem.core.checks.structure.length:Length",
    "structure.matches": "epistem.core.checks.structure.pattern:Matches",
    "structure.avoids": "epistem.core.checks.structure.pattern:Avoids",
    "structure.headings": "epistem.core.checks.structure.headings:Headings",
    "structure.plain_text": "epistem.core.checks.structure.markup:PlainText",
    "structure.finished": "epistem.core.checks.structure.finished:Finished",
    "structure.no_placeholders": "epistem.core.checks.structure.finished:NoPlaceholders",
    "structure.no_reasoning": "epistem.core.checks.structure.finished:NoReasoning",
    "structure.language": "epistem.core.checks.structure.language:LanguageIs",
    "structure.sql": "epistem.core.checks.structure.code:SqlReads",
    "structure.python": "epistem.core.checks.structure.code:PythonParses",
    "outcome.label": "epistem.core.checks.outcome.label:LabelIsRight",
    "outcome.must_say": "epistem.core.checks.outcome.must_say:MustSay",
    "outcome.must_not_say": "epistem.core.checks.outcome.must_not_say:MustNotSay",
    "safety.personal_data": "epistem.core.checks.safety.personal_data:NoPersonalData",
    "safety.secrets": "epistem.core.checks.safety.secrets:NoSecrets",
    "safety.profanity": "epistem.core.checks.safety.words:NoProfanity",
    "safety.forbidden": "epistem.core.checks.safety.words:NoneOfThese",
    "safety.promises": "epistem.core.checks.safety.promises:NoPromises",
    "safety.links": "epistem.core.checks.safety.links:AllowedLinks",
    "safety.invisible": "epistem.core.checks.safety.invisible:NothingInvisible",
    "tone.stock_phrases": "epistem.core.checks.tone.stock_phrases:NoStockPhrases",
    "tone.emoji": "epistem.core.checks.tone.emoji:Emoji",
    "tone.exclamation": "epistem.core.checks.tone.marks:Exclamations",
    "tone.capitals": "epistem.core.checks.tone.marks:Shouting",
    "tone.questions": "epistem.core.checks.tone.marks:Questions",
    "tone.reading_grade": "epistem.core.checks.tone.readable:ReadingGrade",
    "tone.sentence_length": "epistem.core.checks.tone.readable:SentenceLength",
    "tone.greeting": "epistem.core.checks.tone.voice:Greeting",
    "tone.contractions": "epistem.core.checks.tone.voice:Contractions",
    "tone.person": "epistem.core.checks.tone.voice:Person",
    "tone.hedging": "epistem.core.checks.tone.voice:Hedging",
    "grounding.numbers": "epistem.core.checks.grounding.numbers:NumbersKnown",
    "grounding.reference": "epistem.core.checks.grounding.reference:LikeReference",
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
        said = [cls.sentence(options, aspect) for aspect in cls.aspects]
        resolved = _merged([cls.resolved(options, reply) for reply in replies or (ReplyShape(),)])
        for aspect, sentence in zip(cls.aspects, said, strict=True):
            fields = {"check": cls.key, "aspect": aspect.key, "v": cls.version, **resolved}
            fields["lib"] = ",".join(with_version(library) for library in cls.libraries)
            key = f"{cls.key}/{aspect.key}" if aspect.key else cls.key
            signature = format_signature(fields)
            found.append(Measure(len(found), key + mark, sentence + apart, use.margin, signature))
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
    """What a title needs where the same check is used more than once and does not say itself what is
    different: the options that differ."""
    cls = check_class(uses[position].check)
    same = [
        at
        for at, use in enumerate(uses)
        if use.check == cls.key
        and cls.sentence(told[at], cls.aspects[0]) == cls.sentence(told[position], cls.aspects[0])
    ]
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
