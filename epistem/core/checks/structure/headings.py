"""The sections that must be there, in their order."""

from __future__ import annotations

import re
from typing import ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.shapes import MOST_LOOKED_AT

_HEADING = re.compile(
    r"^[ \t]*(?:#{1,6}[ \t]+(.{1,120}?)[ \t#]*|\*\*(.{1,120}?):?\*\*:?|([^\W\d][^\n:.!?]{0,80}):[ \t]*|"
    r"([^\W\d_a-z][^\na-z]{2,80}))$"
    r"|^[ \t]*(?:\*\*)?([^\W\d][^\n:.!?]{0,60}):(?:\*\*)?[ \t]+\S",
    re.M,
)


class HeadingsOptions(Options):
    headings: list[str] = Field(
        default_factory=lambda: ["Summary"],
        max_length=50,
        title="Headings",
        description="As they read, without marks; capitals do not count.",
    )
    in_order: bool = Field(True, title="In this order")


class Headings(Check):
    key = "structure.headings"
    version = 1
    kind = "structure"
    summary = "The headings are there, in their order: Markdown headings, bold lines, or a name with a colon."
    also_called = ("sections", "outline", "order", "titles")
    aspects = (Aspect("", "has its headings"),)
    Options: ClassVar[type[Options]] = HeadingsOptions
    shown_with: ClassVar = {"headings": ["Cause", "What to do"]}
    good: ClassVar = (
        "# Cause\nFog.\n# What to do\nWait.",
        "Cause: fog.\nWhat to do: wait.",
        "**Cause**\nFog.\n\n**What to do**\nWait.",
        "CAUSE\nFog.\nWHAT TO DO\nWait.",
        "## cause ##\nFog.\n## What To Do\nWait.",
        "Intro.\n\nCause:\nFog.\n\nWhat to do:\nWait.",
        "# Cause\nx\n# Risk\ny\n# What to do\nz",
        Example(
            "What to do: wait.\nCause: fog.",
            {"headings": ["Cause", "What to do"], "in_order": False},
        ),
    )
    bad: ClassVar = (
        "",
        "The cause is fog. What to do is wait.",
        "# Cause\nFog.",
        "# What to do\nWait.\n# Cause\nFog.",
        "Because: fog.\nWhat to do: wait.",
        "# Causes\nFog.\n# What to do\nWait.",
        "Cause what to do",
        "**Cause** is fog and **what to do** is wait.",
    )

    @classmethod
    def sentence(cls, options: HeadingsOptions, aspect: Aspect) -> str:
        return f"has the headings {', '.join(options.headings)}"[:120]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        there: dict[str, tuple[int, int]] = {}
        for match in _HEADING.finditer(answer.text[:MOST_LOOKED_AT]):
            group = next(g for g in range(1, 6) if match[g] is not None)
            there.setdefault(_folded(match[group]), match.span(group))
        wanted = [(name, _folded(name)) for name in self.options.headings if _folded(name)]
        missing = [name for name, folded in wanted if folded not in there]
        if missing:
            return [
                Finding(
                    "",
                    False,
                    f"There is no heading {' and no heading '.join(f'“{m}”' for m in missing[:5])}.",
                )
            ]
        places = [there[folded] for _, folded in wanted]
        if self.options.in_order and places != sorted(places):
            late = next(at for at in range(1, len(places)) if places[at] < places[at - 1])
            span = Span(*places[late], "stands too early")
            name, before = wanted[late][0], wanted[late - 1][0]
            return [Finding("", False, f"“{name}” stands before “{before}”.", (span,))]
        return [Finding("", True, "All headings are there.")]


def _folded(name: str) -> str:
    return " ".join(name.strip(" *#:_").casefold().split())
