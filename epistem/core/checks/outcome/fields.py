"""The fields of a JSON reply equal those of the case's right answer."""

from __future__ import annotations

import json
from collections.abc import Iterator
from itertools import islice
from typing import Any, ClassVar, NamedTuple

from pydantic import Field

from epistem.core import strict_json
from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.structure.find_json import find_json
from epistem.core.prompts.content import ReplyShape

MOST_FAULTS = 20
MOST_COMPARED = 20_000
"""Values that are held against each other: lists within lists, in any order, could be compared for ever."""
DEEPEST = 60


class FieldOptions(Options):
    only: list[str] = Field(
        default_factory=list,
        max_length=100,
        title="Only these fields",
        description="Names at the top; empty for all that the right answer has.",
    )
    within: float = Field(
        0, ge=0, le=1e12, title="Numbers within", description="A number may be off by so much."
    )
    any_order: bool = Field(False, title="Lists in any order")
    exact_text: bool = Field(
        False, title="Texts to the letter", description="Else case and white space do not count."
    )


class _TooLarge(Exception):
    """More would have to be compared than is worth it."""


class Fault(NamedTuple):
    """At a JSON pointer."""

    pointer: str
    why: str


_RIGHT = {"answer": '{"label": "delay", "urgency": 3, "piers": ["Hollin", "Sandray"]}'}


def _reply(text: str, **options: Any) -> Example:
    return Example(text, options, expect=_RIGHT)


class FieldsRight(Check):
    key = "outcome.fields"
    version = 2
    kind = "outcome"
    summary = (
        "Each field of the JSON reply equals that of the case's right answer. Cases without a JSON "
        "one are passed over."
    )
    also_called = ("json equal", "expected fields", "extraction", "exact match", "tolerance")
    aspects = (Aspect("", "fields are right"),)
    Options: ClassVar[type[Options]] = FieldOptions
    good: ClassVar = (
        _reply('{"label": "delay", "urgency": 3, "piers": ["Hollin", "Sandray"]}'),
        _reply('Here: {"piers": ["Hollin", "Sandray"], "urgency": 3.0, "label": " Delay"}'),
        _reply(
            '{"label": "delay", "urgency": 4, "piers": ["Hollin", "Sandray"], "more": 1}', within=1
        ),
        _reply('{"label": "delay", "urgency": 3, "piers": ["Sandray", "Hollin"]}', any_order=True),
        _reply('{"label": "delay"}', only=["label"]),
        Example('{"n": 4.4}', expect={"answer": '{"n": 4}', "within": 0.5}),
        _reply('{"urgency": 3}', only=["urgency", "nothing"]),
        Example("no JSON", expect={"answer": "a text"}),
        Example("no JSON"),
    )
    bad: ClassVar = (
        _reply('{"label": "refund", "urgency": 3, "piers": ["Hollin", "Sandray"]}'),
        _reply("no JSON"),
        _reply(""),
        _reply('{"label": "delay", "urgency": 4, "piers": ["Hollin", "Sandray"]}'),
        _reply('{"label": "delay", "urgency": "3", "piers": ["Hollin", "Sandray"]}'),
        _reply('{"label": "delay", "urgency": 3, "piers": ["Sandray", "Hollin"]}'),
        _reply('{"label": "delay", "urgency": 3, "piers": ["Hollin"]}', any_order=True),
        _reply('{"label": "Delay", "urgency": 3, "piers": ["Hollin", "Sandray"]}', exact_text=True),
        Example('{"n": 4.4}', {"within": 1}, expect={"answer": '{"n": 4}', "within": 0.1}),
        Example("[null, 1]", {"any_order": True}, expect={"answer": "[2, 1]"}),
    )

    def __init__(self, options: Any, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        self._left, self._within = 0, 0.0

    def asked(self, ground: Ground) -> list[str]:
        return [""] if _right(ground) is not None else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        right = _right(ground)
        if right is None:
            return []
        found = find_json(answer.text)
        if found is None:
            return [Finding("", False, "There is no JSON in it.")]
        if self.options.only and isinstance(right, dict):
            right = {name: right[name] for name in self.options.only if name in right}
        self._left = MOST_COMPARED
        here = ground.expect.within
        self._within = self.options.within if here is None else here
        try:
            faults = list(islice(self._faults(found.value, right, "", 0), MOST_FAULTS))
        except _TooLarge:
            return [Finding("", None, "It is too large, or nested too deeply, to be compared.")]
        if not faults:
            return [Finding("", True, "Its fields are right.")]
        said = "; ".join(f"{fault.pointer or 'it'} {fault.why}" for fault in faults[:3])
        more = f"; and {len(faults) - 3} more" if len(faults) > 3 else ""
        return [
            Finding("", False, f"{said}{more}.", pointers=tuple(fault.pointer for fault in faults))
        ]

    def _faults(self, given: Any, right: Any, at: str, deep: int) -> Iterator[Fault]:
        self._left -= 1
        if self._left < 0 or deep > DEEPEST:
            raise _TooLarge
        if isinstance(right, dict):
            if not isinstance(given, dict):
                yield Fault(at, "is no object")
                return
            for name, value in right.items():
                place = f"{at}/{name.replace('~', '~0').replace('/', '~1')}"
                if name not in given:
                    yield Fault(place, "is missing")
                else:
                    yield from self._faults(given[name], value, place, deep + 1)
        elif isinstance(right, list):
            yield from self._list_faults(given, right, at, deep)
        elif not self._same(given, right):
            yield Fault(at, f"is {_short(given)}, not {_short(right)}")

    def _list_faults(self, given: Any, right: list[Any], at: str, deep: int) -> Iterator[Fault]:
        if not isinstance(given, list) or len(given) != len(right):
            yield Fault(at, f"is {_short(given)}, not {_short(right)}")
        elif self.options.any_order:
            left = list(given)
            for value in right:
                fits = (not any(self._faults(each, value, at, deep + 1)) for each in left)
                place = next((index for index, fit in enumerate(fits) if fit), None)
                if place is None:
                    yield Fault(at, f"has no {_short(value)}")
                    return
                del left[place]
        else:
            for index, (one, other) in enumerate(zip(given, right, strict=True)):
                yield from self._faults(one, other, f"{at}/{index}", deep + 1)

    def _same(self, given: Any, right: Any) -> bool:
        if isinstance(right, bool) or isinstance(given, bool) or right is None or given is None:
            return type(given) is type(right) and given == right
        if isinstance(right, int | float):
            return isinstance(given, int | float) and abs(given - right) <= self._within + 1e-12
        if not isinstance(given, str):
            return False
        return given == right or (not self.options.exact_text and _plain(given) == _plain(right))


def _right(ground: Ground) -> Any:
    """The right answer as JSON: an object or a list; None for none."""
    try:
        told = strict_json.loads(ground.expect.answer or "")
    except (ValueError, RecursionError):
        return None
    return told if isinstance(told, dict | list) else None


def _plain(text: str) -> str:
    return " ".join(text.split()).casefold()


def _short(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else f"{text[:59]}…"
