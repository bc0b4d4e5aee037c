"""The rows of evidence that checks in use give."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from epistem.core.checks.base import Options
from epistem.core.checks.registry import aspects_of, check_class
from epistem.core.checks.signature import digest, format_signature, with_version
from epistem.core.checks.uses import CheckUse, numbered
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape

Aim = Literal["more", "less", ""]
"""Which way of a score is better; "" where neither is."""


@dataclass(frozen=True)
class Measure:
    """One row of evidence: an aspect of a check in use, with the margin it is judged by.

    Where it tells a score, `unit` is that of it ("" for none), `score_margin` the difference of scores
    that does not matter, and `aim` says which way is better. `judge` is the model that is asked for it.
    """

    index: int
    key: str
    title: str
    margin: float
    signature: str
    unit: str = ""
    score_margin: float = 0.0
    aim: Aim = ""
    required: bool = True
    weight: float = 1.0
    judge: str = ""


def measures_of(
    uses: Sequence[CheckUse], *replies: ReplyShape, strict: bool = True
) -> list[Measure]:
    """The rows of evidence that these checks give, in their order, for answers of these shapes.

    A check that is used twice makes a row each time, told apart by key and title. Raises InvalidInput for
    one that can't be had; if it is not `strict`, as for checks that were kept when it could, its rows
    stand under its key.
    """
    found: list[Measure] = []
    uses = numbered(uses)
    told = options_of(uses) if strict else [_options_if_any(use) for use in uses]
    for position, (use, options) in enumerate(zip(uses, told, strict=True)):
        if options is None:
            found += [
                Measure(
                    len(found) + at,
                    key_of(use, aspect.key),
                    use.name or use.check,
                    use.margin,
                    format_signature({"check": use.check, "aspect": aspect.key}),
                    required=use.required,
                    weight=use.weight,
                )
                for at, aspect in enumerate(aspects_of(use))
            ]
            continue
        cls = check_class(use.check)
        apart = "" if use.name else _told_apart(position, uses, told)
        if use.step and not use.name:
            apart += f", at “{use.step}”"
        shapes = replies if replies and not use.step else (ReplyShape(),)
        resolved = _merged([cls.resolved(options, reply) for reply in shapes])
        for aspect in cls.aspects:
            fields = {"check": cls.key, "aspect": aspect.key, "v": cls.version, **resolved}
            fields["step"] = use.step
            fields["lib"] = ",".join(with_version(library) for library in cls.libraries)
            unit = cls.unit_of(options)
            usual = cls.score_margin if unit else 0.0
            found.append(
                Measure(
                    len(found),
                    key_of(use, aspect.key),
                    _title(use, aspect.title if len(cls.aspects) > 1 else "")
                    or cls.sentence(options, aspect) + apart,
                    use.margin,
                    format_signature(fields),
                    unit,
                    usual if use.score_margin is None else use.score_margin,
                    cls.aim if unit else "",
                    use.required,
                    use.weight,
                    cls.judge_of(options),
                )
            )
    return found


def key_of(use: CheckUse, aspect: str = "") -> str:
    """The key of the row that an aspect of a use makes, which stays the same as others come and go."""
    key = f"{use.check}/{aspect}" if aspect else use.check
    return f"{key}#{use.id}" if use.id else key


def _title(use: CheckUse, aspect: str) -> str:
    return f"{use.name}: {aspect}" if use.name and aspect else use.name


def check_uses(uses: Sequence[CheckUse]) -> None:
    """Raises InvalidInput for a check that isn't there, for wrong options, or one attached twice alike."""
    told = options_of(uses)
    for position, use in enumerate(uses):
        alike = [
            at
            for at in range(position)
            if (uses[at].check, uses[at].step) == (use.check, use.step)
            and told[at] == told[position]
        ]
        if alike:
            raise InvalidInput(
                f"“{use.check}” is attached twice with the same options. Change an option, or leave "
                "one out.",
                field=f"checks.{position}.check",
            )
        if use.on_failure == "repair" and not check_class(use.check).repairs:
            raise InvalidInput(
                f"“{use.check}” has no repair. Choose what else is done when it fails.",
                field=f"checks.{position}.on_failure",
            )
        if use.on_failure == "decline" and not use.decline_with.strip():
            raise InvalidInput(
                "It declines with a text: say what is answered instead.",
                field=f"checks.{position}.decline_with",
            )


def options_of(uses: Sequence[CheckUse]) -> list[Options]:
    return [
        check_class(use.check).Options.from_json(use.options, at=f"checks.{position}.options")
        for position, use in enumerate(uses)
    ]


def _options_if_any(use: CheckUse) -> Options | None:
    try:
        return check_class(use.check).Options.from_json(use.options)
    except InvalidInput:
        return None


def _told_apart(position: int, uses: Sequence[CheckUse], told: Sequence[Options | None]) -> str:
    """What a title needs where the same check is used more than once and does not say itself what is
    different: the options that differ."""
    cls = check_class(uses[position].check)
    mine = cls.sentence(told[position], cls.aspects[0])
    each = {
        at: options.model_dump(mode="json")
        for at, (use, options) in enumerate(zip(uses, told, strict=True))
        if (use.check, use.step) == (cls.key, uses[position].step)
        and options is not None
        and cls.sentence(options, cls.aspects[0]) == mine
    }
    if len(each) < 2:
        return ""
    own = each[position]
    varied = [name for name in own if any(other[name] != own[name] for other in each.values())]
    words = [f"{name.replace('_', ' ')}: {_short(own[name])}" for name in varied]
    return f" ({', '.join(words)})" if words else f" ({list(each).index(position) + 1})"


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
