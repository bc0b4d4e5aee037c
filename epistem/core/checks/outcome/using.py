"""What an answer took, and which tools it used."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any, ClassVar

from pydantic import Field

from epistem.core import strict_json
from epistem.core.cases.content import ToolWanted
from epistem.core.checks.base import (
    Answer,
    Aspect,
    Check,
    Example,
    Finding,
    Ground,
    Options,
    Spent,
    ToolUse,
)
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import listed


class LimitOptions(Options):
    seconds: float | None = Field(10, gt=0, le=1e6, title="Seconds at most")
    tokens: int | None = Field(
        None, gt=0, le=10**9, title="Tokens at most", description="Of the answer."
    )
    cents: float | None = Field(None, gt=0, le=1e6, title="Cents at most")


def _took(ms: float, **options: Any) -> Example:
    return Example("The boat is late.", options, spent=Spent(300, 50, ms, 0.1))


class WithinLimits(Check):
    key = "outcome.limits"
    version = 1
    kind = "outcome"
    summary = "The answer takes no more time, tokens or money than this."
    also_called = ("latency", "slow", "cost", "budget", "price", "seconds", "tokens")
    aspects = (Aspect("", "within its limits"),)
    reads = frozenset({"spent"})
    Options: ClassVar[type[Options]] = LimitOptions
    good: ClassVar = (
        _took(9_999),
        _took(10_000),
        _took(1, seconds=0.001),
        _took(90_000, seconds=None),
        Example("x", {"tokens": 50}, spent=Spent(1, 50, 1, 0.1)),
        Example("x", {"cents": 0.1}, spent=Spent(1, 50, 1, 0.1)),
        Example("Nothing is known of it."),
        Example("x", {"seconds": 1, "tokens": 9, "cents": 1}, spent=Spent(1, 9, 900, 0.9)),
    )
    bad: ClassVar = (
        _took(10_001),
        _took(60_000),
        _took(2, seconds=0.001),
        Example("x", {"tokens": 49}, spent=Spent(1, 50, 1, 0.1)),
        Example("x", {"cents": 0.05}, spent=Spent(1, 50, 1, 0.1)),
        Example("", {"seconds": 1}, spent=Spent(1, 0, 1_500, 0)),
        Example("x", {"seconds": 1, "tokens": 9, "cents": 1}, spent=Spent(1, 9, 900, 1.1)),
        Example("x", {"seconds": None, "tokens": 1}, spent=Spent(1, 2, 1, 0)),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        told = [
            f"{value:g} {name}"
            for name, value in (
                ("s", options.seconds),
                ("tokens", options.tokens),
                ("cents", options.cents),
            )
            if value is not None
        ]
        return f"takes {listed(told, 'and')} at most" if told else "takes what it takes"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if answer.spent is None:
            return []
        told = answer.spent
        over = [
            f"{said}; {most:g} at most"
            for said, value, most in (
                (f"{told.ms / 1000:.2f} s", told.ms / 1000, self.options.seconds),
                (f"{told.output_tokens} tokens", told.output_tokens, self.options.tokens),
                (f"{told.cents:.4f} cents", told.cents, self.options.cents),
            )
            if most is not None and value > most
        ]
        took = f"{told.ms / 1000:.2f} s, {told.output_tokens} tokens, {told.cents:.4f} cents."
        return [Finding("", not over, f"{'. '.join(over)}." if over else took)]


class ToolOptions(Options):
    called: list[str] = Field(
        default_factory=list,
        max_length=50,
        title="Called",
        description="In this order; others may stand between.",
    )
    never: list[str] = Field(default_factory=list, max_length=50, title="Never called")
    arguments: str = Field(
        "",
        max_length=10_000,
        title="With",
        description="JSON: fields that the first of them is called with.",
    )


def _used(
    *tools: tuple[str, str], expect: Mapping[str, Any] = MappingProxyType({}), **options: Any
) -> Example:
    return Example("Done.", options, tools=tools, expect=expect)


_TIDE, _BOOK = ("tide", '{"pier": "Hollin", "day": 3}'), ("book", "{}")


_CASE = {"tools": [{"name": "tide", "arguments": {"day": 3}}, {"name": "book"}]}


class ToolsUsed(Check):
    key = "outcome.tools"
    version = 2
    kind = "outcome"
    summary = (
        "These tools are called, in this order and with these arguments, and those never; so are those that "
        "the case names."
    )
    also_called = ("function call", "tool use", "agent", "arguments", "order")
    aspects = (Aspect("", "tools used as wanted"),)
    reads = frozenset({"tools"})
    Options: ClassVar[type[Options]] = ToolOptions
    shown_with: ClassVar = {"called": ["tide"]}
    good: ClassVar = (
        _used(_TIDE, called=["tide"]),
        _used(_TIDE, _BOOK, called=["tide", "book"]),
        _used(_TIDE, _TIDE, called=["tide"]),
        _used(_BOOK, never=["tide"]),
        _used(never=["tide"]),
        _used(_TIDE, called=["tide"], arguments='{"pier": "Hollin"}'),
        _used(_TIDE, called=["tide"], arguments='{"day": 3.0}'),
        _used(_BOOK, _TIDE, _BOOK, called=["tide", "book"]),
        _used(_TIDE, _BOOK, expect=_CASE),
        _used(_TIDE, expect={"never_tools": ["book"]}),
    )
    bad: ClassVar = (
        _used(called=["tide"]),
        _used(_BOOK, called=["tide"]),
        _used(_BOOK, _TIDE, called=["tide", "book"]),
        _used(_TIDE, never=["tide"]),
        _used(_TIDE, _BOOK, called=["tide"], never=["book"]),
        _used(_TIDE, called=["tide"], arguments='{"pier": "Sandray"}'),
        _used(_TIDE, called=["tide"], arguments='{"year": 1}'),
        _used(_TIDE, expect=_CASE),
        _used(_BOOK, _TIDE, expect=_CASE),
        _used(("tide", '{"day": 4}'), _BOOK, expect=_CASE),
        _used(_TIDE, _BOOK, expect={"never_tools": ["book"]}),
        _used(("tide", "no JSON"), called=["tide"], arguments='{"pier": "Hollin"}'),
    )

    def __init__(self, options: Any, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        try:
            self._wanted = strict_json.loads(options.arguments) if options.arguments.strip() else {}
        except (ValueError, RecursionError):
            self._wanted = None
        if not isinstance(self._wanted, dict):
            raise InvalidInput("The arguments are no JSON object.", field="options.arguments")
        if both := sorted(set(options.called) & set(options.never)):
            raise InvalidInput(f"“{both[0]}” is wanted and never wanted.", field="options.never")

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        told = []
        if options.called:
            told.append(f"calls {', then '.join(options.called)}")
        if options.never:
            told.append(f"never calls {listed(options.never)}")
        return "; ".join(told)[:120] or "calls the tools that its case wants"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        names = [tool.name for tool in answer.tools]
        said = f"It called {', '.join(names)}." if names else "It called no tool."
        for name in (*self.options.never, *ground.expect.never_tools):
            if name in names:
                return [Finding("", False, f"It called {name}, which it never should.")]
        at = 0
        for name in self.options.called:
            if name not in names[at:]:
                missing = "after the others " if name in names else ""
                return [Finding("", False, f"{said} {name} is missing {missing}".rstrip() + ".")]
            at = names.index(name, at) + 1
        if self._wanted and self.options.called:
            first = answer.tools[names.index(self.options.called[0])]
            if wrong := _wrong(first.arguments, self._wanted):
                return [Finding("", False, wrong)]
        wrong = _not_as_wanted(answer.tools, ground.expect.tools)
        return [Finding("", not wrong, wrong or said)]


def _not_as_wanted(used: Sequence[ToolUse], wanted: Sequence[ToolWanted]) -> str:
    """What is wrong with the first that the case wants and that is not called as it says, each after the
    one before."""
    at = 0
    for each in wanted:
        faults = []
        for place in range(at, len(used)):
            if used[place].name == each.name:
                faults.append(_wrong(used[place].arguments, each.arguments))
                if not faults[-1]:
                    at = place + 1
                    break
        else:
            told = ", ".join(tool.name for tool in used) or "no tool"
            return faults[0] if faults else f"It called {told}; {each.name} is missing."
    return ""


def _wrong(arguments: str, wanted: Mapping[str, Any]) -> str:
    if not wanted:
        return ""
    try:
        given = strict_json.loads(arguments or "{}")
    except (ValueError, RecursionError):
        return f"Its arguments are no JSON: {arguments[:80]}"
    for name, value in wanted.items():
        if not isinstance(given, dict) or name not in given:
            return f"“{name}” is not among its arguments."
        if given[name] != value:
            return f"“{name}” is {json.dumps(given[name])[:80]}, not {json.dumps(value)[:80]}."
    return ""
