"""A value of a JSON reply: there, equal, one of several, in a range, or matching an expression."""

from __future__ import annotations

import json
from typing import Any, ClassVar

from pydantic import Field

from epistem.core import strict_json
from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.structure.find_json import find_json
from epistem.core.checks.structure.pattern import PatternOptions, expression
from epistem.core.errors import InvalidInput
from epistem.core.pointers import MISSING, at_pointer
from epistem.core.prompts.content import ReplyShape


class ValueOptions(Options):
    at: str = Field(
        "/label",
        max_length=300,
        title="At",
        description="JSON Pointer into the reply, such as /items/0/price.",
    )
    one_of: list[str] = Field(
        default_factory=list,
        max_length=200,
        title="One of",
        description="As JSON or plain text; empty allows all.",
    )
    least: float | None = Field(None, title="At least", description="Of a number.")
    most: float | None = Field(None, title="At most", description="Of a number.")
    matches: str = Field(
        "", max_length=500, title="Matches", description="An expression (RE2), for a text."
    )


class JsonValue(Check):
    key = "structure.json_value"
    version = 1
    kind = "structure"
    summary = "A value of the JSON reply is there, and is one of these, in this range, or matches an expression."
    also_called = ("field", "json path", "pointer", "range", "equal")
    aspects = (Aspect("", "JSON value is right"),)
    Options: ClassVar[type[Options]] = ValueOptions
    libraries = ("google-re2",)
    shown_with: ClassVar = {"at": "/urgency", "least": 1, "most": 5}
    good: ClassVar = (
        '{"urgency": 1}',
        '{"urgency": 5.0, "more": "x"}',
        'Here: {"urgency": 3}',
        Example('{"a": {"b": ["x", "y"]}}', {"at": "/a/b/1", "one_of": ["y"]}),
        Example('{"ok": true}', {"at": "/ok", "one_of": ["true"]}),
        Example('{"a/b": null}', {"at": "/a~1b"}),
        Example('{"code": "AB-1"}', {"at": "/code", "matches": r"^[A-Z]+-\d$"}),
        Example('[{"n": 2}]', {"at": "/0/n", "one_of": ["2"]}),
    )
    bad: ClassVar = (
        "",
        "no JSON",
        '{"urgency": 6}',
        '{"urgency": "high"}',
        '{"urgency": true}',
        '{"label": "x"}',
        '{"urgency": null}',
        Example('{"a": {"b": ["x"]}}', {"at": "/a/b/1"}),
        Example('{"a": 1}', {"at": "/a/b"}),
        Example('{"code": "ab-1"}', {"at": "/code", "matches": r"^[A-Z]+-\d$"}),
        Example('{"label": "Lost item"}', {"at": "/label", "one_of": ["lost item"]}),
    )

    def __init__(self, options: ValueOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        if options.at and not options.at.startswith("/"):
            raise InvalidInput("A JSON Pointer begins with /, such as /label.", field="options.at")
        if options.least is not None and options.most is not None and options.least > options.most:
            raise InvalidInput(
                "least is more than most, so nothing could pass.", field="options.least"
            )
        self._pattern = (
            expression(PatternOptions(pattern=options.matches)) if options.matches else None
        )
        self._allowed = [_read(each) for each in options.one_of]

    @classmethod
    def sentence(cls, options: ValueOptions, aspect: Aspect) -> str:
        parts = [f"one of {', '.join(options.one_of)}"] if options.one_of else []
        if options.least is not None or options.most is not None:
            low = "" if options.least is None else f"{options.least:g}"
            high = "" if options.most is None else f"{options.most:g}"
            parts.append(
                f"{low} to {high}"
                if low and high
                else f"at least {low}"
                if low
                else f"at most {high}"
            )
        parts += [f"matches /{options.matches}/"] if options.matches else []
        return f"{options.at} {' and '.join(parts) if parts else 'is there'}"[:120]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        found = find_json(answer.text)
        if found is None:
            return [Finding("", False, "There is no JSON in the answer.")]
        value = at_pointer(found.value, self.options.at)
        if value is MISSING:
            return [Finding("", False, f"There is nothing at {self.options.at}.")]
        wrong = self._fault(value)
        shown = _short(value)
        return [Finding("", not wrong, f"{self.options.at} is {shown}{wrong}.")]

    def _fault(self, value: Any) -> str:
        options = self.options
        if self._allowed and not any(_same(value, each) for each in self._allowed):
            return f"; it should be one of {', '.join(options.one_of)[:200]}"
        if options.least is not None or options.most is not None:
            if isinstance(value, bool) or not isinstance(value, int | float):
                return ", which is no number"
            if options.least is not None and value < options.least:
                return f"; at least {options.least:g} is wanted"
            if options.most is not None and value > options.most:
                return f"; at most {options.most:g} is wanted"
        if self._pattern is not None and not (
            isinstance(value, str) and self._pattern.search(value)
        ):
            return f"; it should match /{options.matches}/"
        return ""


def _read(text: str) -> Any:
    try:
        return strict_json.loads(text)
    except (ValueError, RecursionError):
        return text


def _same(value: Any, wanted: Any) -> bool:
    """1 and 1.0 are the same, 1 and true are not; "2" is told from 2 by quotes."""
    if isinstance(value, bool) or isinstance(wanted, bool):
        return value is wanted
    return bool(value == wanted)


def _short(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 80 else f"{text[:79]}…"
