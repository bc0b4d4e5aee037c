"""Markdown: none where plain text is wanted."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import ClassVar

from epistem.core.checks.base import Aspect, Ground, Span
from epistem.core.checks.shapes import FreeOf

_MARKS = (
    (re.compile(r"^[ \t]{0,3}#{1,6}[ \t]+\S.*$", re.M), "a heading"),
    (re.compile(r"^[ \t]*```.*$", re.M), "a code fence"),
    (re.compile(r"(?<![\w*])\*\*(?=\S)[^*\n]{1,200}(?<=\S)\*\*(?![\w*])"), "bold"),
    (re.compile(r"(?<![\w_])__(?=\S)[^_\n]{1,200}(?<=\S)__(?![\w_])"), "bold"),
    (re.compile(r"(?<![\w*\\])\*(?=[^\s*])[^*\n]{1,200}(?<=[^\s*])\*(?![\w*])"), "italics"),
    (re.compile(r"^[ \t]*[-*+][ \t]+\S", re.M), "a list"),
    (
        re.compile(r"^[ \t]*\d{1,3}[.)][ \t]+\S.*\n[ \t]*\d{1,3}[.)][ \t]+\S", re.M),
        "a numbered list",
    ),
    (re.compile(r"!?\[[^\[\]\n]{1,200}\]\([^)\s]{1,500}\)"), "a link"),
    (re.compile(r"(?<!`)`[^`\n]{1,200}`(?!`)"), "code"),
    (re.compile(r"^[ \t]*>[ \t]\S", re.M), "a quotation"),
    (re.compile(r"^[ \t]*\|.+\|[ \t]*\n[ \t]*\|[ \t:|-]+\|", re.M), "a table"),
    (re.compile(r"^[ \t]*(?:-{3,}|\*{3,}|_{3,})[ \t]*$", re.M), "a rule"),
)


_MENDS = (
    (re.compile(r"^[ \t]*```.*\n?", re.M), ""),
    (re.compile(r"^[ \t]{0,3}#{1,6}[ \t]+(\S.*?)[ \t]*#*[ \t]*$", re.M), r"\1"),
    (re.compile(r"^[ \t]*(?:-{3,}|\*{3,}|_{3,})[ \t]*\n?$", re.M), ""),
    (_MARKS[2][0], lambda m: m[0][2:-2]),
    (_MARKS[3][0], lambda m: m[0][2:-2]),
    (_MARKS[4][0], lambda m: m[0][1:-1]),
    (re.compile(r"^([ \t]*)[-*+][ \t]+(?=\S)", re.M), r"\1"),
    (re.compile(r"^([ \t]*)\d{1,3}[.)][ \t]+(?=\S)", re.M), r"\1"),
    (re.compile(r"!?\[([^\[\]\n]{1,200})\]\(([^)\s]{1,500})\)"), r"\1 (\2)"),
    (_MARKS[8][0], lambda m: m[0][1:-1]),
    (re.compile(r"^([ \t]*)>[ \t](?=\S)", re.M), r"\1"),
    (re.compile(r"^[ \t]*\|[ \t:|-]+\|[ \t]*\n?", re.M), ""),
    (re.compile(r"^[ \t]*\|[ \t]*(.+?)[ \t]*\|[ \t]*$", re.M), lambda m: re.sub(r"[ \t]*\|[ \t]*", ", ", m[1])),
)  # fmt: skip
MOST_NESTED = 6


class PlainText(FreeOf):
    key = "structure.plain_text"
    version = 1
    kind = "structure"
    summary = "Plain text: no Markdown headings, lists, bold, code, links or tables."
    also_called = ("markdown", "formatting", "bullets", "bold", "no markup")
    aspects = (Aspect("", "plain text, no Markdown"),)
    nothing = "It is plain text."
    repairs = True
    good: ClassVar = (
        "The boat leaves at 9.40.",
        "It costs 3 * 4 = 12 euros, or 2*6.",
        "The file is called my_long_file_name.txt.",
        "Room #4 is on the left.",
        "We are open – also on Sunday.",
        "5 - 3 is 2.",
        "In 2024. We begin anew.",
        "a > b and b < c",
        "Price: -20 %",
        "",
        "snake_case__twice is a name",
    )
    bad: ClassVar = (
        "# Boats\nThey are late.",
        "The boat is **late**.",
        "- a coat\n- a hat",
        "1. a coat\n2. a hat",
        "See [the notice](https://pier.example).",
        "Run `make demo`.",
        "```\nx\n```",
        "> It is late.",
        "| a | b |\n|---|---|\n| 1 | 2 |",
        "This is *very* late.",
        "One\n\n---\n\nTwo",
    )

    def repair(self, text: str, ground: Ground) -> str:
        """The words without their marks; links keep their address behind them."""
        for _ in range(MOST_NESTED):
            before = text
            for pattern, kept in _MENDS:
                text = pattern.sub(kept, text)
            if text == before:
                break
        return text

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        spans = [
            Span(m.start(), m.end(), note)
            for pattern, note in _MARKS
            for m in pattern.finditer(text)
        ]
        return sorted(spans, key=lambda span: (span.start, span.end))
