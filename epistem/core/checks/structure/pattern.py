"""The answer matches an expression, or keeps clear of one. RE2: no expression takes more than linear time."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, ClassVar

import re2
from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape


class PatternOptions(Options):
    pattern: str = Field(
        r"\S",
        max_length=2_000,
        title="Expression",
        description="RE2 syntax: no look-around, no back-references.",
    )
    ignore_case: bool = Field(False, title="Capitals do not count")


class AvoidOptions(PatternOptions):
    pattern: str = Field(
        r"\bTODO\b",
        max_length=2_000,
        title="Expression",
        description="RE2 syntax: no look-around, no back-references.",
    )


def expression(options: PatternOptions) -> Any:
    """Raises InvalidInput with what RE2 says of it, naming the option."""
    options_of = re2.Options()
    options_of.log_errors = False
    options_of.case_sensitive = not options.ignore_case
    options_of.max_mem = 8 << 20
    try:
        return re2.compile(options.pattern, options_of)
    except re2.error as error:
        said = error.args[0] if error.args else "it can't be read"
        said = said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)
        raise InvalidInput(
            f"The expression can't be used: {said}.", field="options.pattern"
        ) from error


class Matches(Check):
    key = "structure.matches"
    version = 1
    kind = "structure"
    summary = "The answer has something that the expression matches; with ^ and $ all of it must."
    also_called = ("regular expression", "regex", "pattern", "format")
    aspects = (Aspect("", "matches the expression"),)
    Options: ClassVar[type[Options]] = PatternOptions
    libraries = ("google-re2",)
    shown_with: ClassVar = {"pattern": r"^[A-Z]{2}-\d{3}$"}
    good: ClassVar = (
        "AB-123",
        "ZZ-000",
        Example("It is order 4711.", {"pattern": r"\d{4}"}),
        Example("yes", {"pattern": "^(yes|no)$"}),
        Example("YES", {"pattern": "^(yes|no)$", "ignore_case": True}),
        Example("line one\nAB-1", {"pattern": r"(?m)^AB-\d$"}),
        Example("naïve", {"pattern": r"^\pL+$"}),
        Example("a" * 5_000, {"pattern": r"^(a+)+$"}),
    )
    bad: ClassVar = (
        "",
        "ab-123",
        "AB-1234",
        "The code is AB-123.",
        "AB–123",
        Example("YES", {"pattern": "^(yes|no)$"}),
        Example("no number", {"pattern": r"\d"}),
        Example("a" * 5_000 + "b", {"pattern": r"^(a+)+$"}),
    )

    def __init__(self, options: PatternOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        self._pattern = expression(options)

    @classmethod
    def sentence(cls, options: PatternOptions, aspect: Aspect) -> str:
        return f"matches {_short(options.pattern)}"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if self._pattern.search(answer.text):
            return [Finding("", True, "The expression matches.")]
        return [Finding("", False, f"Nothing matches {_short(self.options.pattern)}.")]


class Avoids(FreeOf):
    key = "structure.avoids"
    version = 1
    kind = "structure"
    summary = "Nothing in the answer matches the expression."
    also_called = ("regular expression", "regex", "pattern", "not", "without")
    aspects = (Aspect("", "avoids the expression"),)
    Options: ClassVar[type[Options]] = AvoidOptions
    libraries = ("google-re2",)
    nothing = "Nothing matches."
    good: ClassVar = (
        "",
        "All done.",
        "todo",
        "TODOS",
        "mastodon",
        Example("12 apples", {"pattern": r"\d{3}"}),
        Example("x", {"pattern": "y", "ignore_case": True}),
        Example("a" * 20_000, {"pattern": r"(a*)*b"}),
    )
    bad: ClassVar = (
        "TODO: write this",
        "see TODO.",
        "(TODO)",
        "one\nTODO\ntwo",
        Example("todo", {"pattern": r"\bTODO\b", "ignore_case": True}),
        Example("call 123", {"pattern": r"\d{3}"}),
        Example("grüße TODO", {}),
        Example("aaab", {"pattern": r"(a*)*b"}),
    )

    def __init__(self, options: PatternOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        self._pattern = expression(options)

    @classmethod
    def sentence(cls, options: PatternOptions, aspect: Aspect) -> str:
        return f"avoids {_short(options.pattern)}"

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        for match in self._pattern.finditer(text):
            if match.end() == match.start():
                continue  # nothing that could be marked, or left out
            yield Span(match.start(), match.end(), "matches the expression")


def _short(pattern: str) -> str:
    return f"/{pattern if len(pattern) <= 40 else pattern[:39] + '…'}/"
