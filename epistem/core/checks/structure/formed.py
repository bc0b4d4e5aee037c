"""Markdown and markup that are well formed: what was opened is closed, rows have as many cells as their head."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any, ClassVar, Literal
from xml.parsers import expat

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf, in_words

_FENCE = re.compile(r"^[ \t]{0,3}(`{3,}|~{3,})(.*)$")
_HEADING = re.compile(r"^[ \t]{0,3}(#{1,6})([ \t]+\S|(?<=##)\w)")
_RULE = re.compile(r"^[ \t]*\|?[ \t]*:?-{3,}:?[ \t]*(?:\|[ \t]*:?-{3,}:?[ \t]*)*\|?[ \t]*$")
_LINK = re.compile(r"\[[^\[\]\n]{1,200}\]\(([^()\s]{0,500})(\)?)")
_CODE = re.compile(r"(`+)(?:(?!\1)[^\n]){1,400}?\1(?!`)")
_BOLD = re.compile(r"(?<![\w*\\])\*\*(?=\S)|(?<=\S)\*\*(?![\w*])")


class MarkdownOptions(Options):
    levels: bool = Field(
        True,
        title="No level left out",
        description="A heading is no more than one level deeper than the last.",
    )


class MarkdownFormed(FreeOf):
    key = "structure.markdown"
    version = 1
    kind = "structure"
    summary = "Markdown is well formed: fences, bold, code and links are closed, table rows fit their head."
    also_called = ("markdown", "table", "code fence", "formatting", "broken link")
    aspects = (Aspect("", "Markdown is well formed"),)
    nothing = "All that was opened is closed."
    Options: ClassVar[type[Options]] = MarkdownOptions
    good: ClassVar = (
        "# Boats\n\n## Late\nThey are **late** today.",
        "| a | b |\n|---|---|\n| 1 | 2 |\n| 3 | 4 |",
        "```python\nx = '**'\n```",
        "See [the notice](https://pier.example/a) and `make demo`.",
        "5 * 4 is 20, and 2 ** 3 is 8.",
        "~~~\n| not | a table\n~~~",
        "",
        "Room #4 and #5",
        "#hashtag and #another",
        "| a \\| b | c |\n|---|---|\n| 1 | 2 |",
        Example("# A\n### B", {"levels": False}),
        "| `a|b` | c |\n|---|---|\n| 1 | 2 |",
    )
    bad: ClassVar = (
        "```\nx = 1",
        "| a | b |\n|---|---|\n| 1 |",
        "| a | b |\n|---|---|\n| 1 | 2 | 3 |",
        "This is **very late.",
        "##Boats\nare late",
        "# A\n\n### B",
        "See [the notice](https://pier.example",
        "See [the notice]().",
        "Run `make demo.",
        "~~~\nx\n```",
    )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        outside: list[tuple[int, str]] = []
        fence: tuple[str, int, int] | None = None
        at = 0
        for line in text.split("\n"):
            match = _FENCE.match(line) if "```" in line or "~~~" in line else None
            if fence is not None:
                if match and match[1].startswith(fence[0]) and not match[2].strip():
                    fence = None
                outside.append((at, ""))
            elif match:
                fence = (match[1], at, at + len(line))
                outside.append((at, ""))
            else:
                outside.append((at, line))
            at += len(line) + 1
        found = [Span(fence[1], fence[2], "a code fence that is not closed")] if fence else []
        found += [*self._headings(outside), *_tables(outside), *_inline(outside)]
        return sorted(found, key=lambda span: span.start)

    def _headings(self, lines: list[tuple[int, str]]) -> Iterator[Span]:
        level = 0
        for at, line in lines:
            match = _HEADING.match(line) if "#" in line else None
            if match is None:
                continue
            if not match[2][0].isspace():
                if not match[2][0].isdigit():
                    yield Span(at, at + len(line), "a heading without a space")
                continue
            deep = len(match[1])
            if self.options.levels and level and deep > level + 1:
                yield Span(at, at + len(line), "a level is left out")
            level = deep


def _tables(lines: list[tuple[int, str]]) -> Iterator[Span]:
    cells = 0
    for number, (at, line) in enumerate(lines):
        if cells and "|" in line:
            here = _cells(line)
            if here != cells and not _RULE.match(line):
                yield Span(at, at + len(line), f"{here} cells where the head has {cells}")
        elif cells:
            cells = 0
        following = lines[number + 1][1] if number + 1 < len(lines) else ""
        if not cells and "|" in line and "-" in following and _RULE.match(following):
            cells = _cells(line)


def _cells(line: str) -> int:
    bare = _CODE.sub("", line).replace("\\|", "").strip().strip("|")
    return bare.count("|") + 1


def _inline(lines: list[tuple[int, str]]) -> Iterator[Span]:
    """A paragraph at a time: what is opened in one is not closed in the next."""
    block: list[tuple[int, str]] = []
    for at, line in [*lines, (0, "")]:
        if line.strip():
            block.append((at, _CODE.sub(lambda m: " " * len(m[0]), line)))
            continue
        marks = [(a + m.start(), m[0]) for a, told in block for m in _BOLD.finditer(told)]
        if len(marks) % 2:
            yield Span(marks[-1][0], marks[-1][0] + 2, "bold that is not closed")
        for start, told in block:
            tick = told.find("`")
            if tick >= 0:
                yield Span(start + tick, start + tick + 1, "code that is not closed")
            for match in _LINK.finditer(told):
                if not match[2]:
                    yield Span(
                        start + match.start(), start + match.end(), "a link that is not closed"
                    )
                elif not match[1]:
                    yield Span(start + match.start(), start + match.end(), "a link to nowhere")
        block = []


MOST_MARKUP = 60_000
"""Characters of markup that are read; more can't be told."""
_VOID_WORDS = """
area base br col embed hr img input link meta source track wbr
"""
_VOID = frozenset(_VOID_WORDS.split())
_OPTIONAL_WORDS = """
p li dt dd tr td th thead tbody tfoot option optgroup colgroup rb rt rtc rp
"""
_OPTIONAL = frozenset(_OPTIONAL_WORDS.split())
_ALWAYS_WITHIN_WORDS = """
html head body
"""
_ALWAYS_WITHIN = frozenset(_ALWAYS_WITHIN_WORDS.split())
MOST_OPEN = 200
_TAG = re.compile(
    r"<!--|<[!?][^<>]*>|<(/?)([a-zA-Z][\w:-]*+)((?:[\s/](?:[^<>\"']|\"[^\"]*\"|'[^']*')*+)?+)>"
)
_RAW = {name: re.compile(rf"</{name}\b", re.I) for name in ("script", "style", "textarea", "title")}


class MarkupOptions(Options):
    kind: Literal["XML", "HTML"] = Field("HTML", title="Kind")
    tags: list[str] = Field(
        default_factory=list,
        max_length=200,
        title="Only these tags",
        description="Empty allows all.",
    )


class MarkupFormed(Check):
    key = "structure.markup"
    version = 1
    kind = "structure"
    summary = "XML or HTML is well formed: every tag is closed, in order, and only allowed tags are there."
    also_called = ("html", "xml", "tags", "svg", "well-formed")
    aspects = (Aspect("", "markup is well formed"),)
    Options: ClassVar[type[Options]] = MarkupOptions
    good: ClassVar = (
        "<p>The boat is <b>late</b>.</p>",
        "<ul><li>a coat<li>a hat</ul>",
        "<p>One<br>Two</p>",
        "<!doctype html><html><body><p>Hi</body></html>",
        "Plain text, 3 < 4 & 5 > 2.",
        '<img src="a.png" alt="a boat">',
        Example("<a><b/>x &amp; y</a>", {"kind": "XML"}),
        Example('<?xml version="1.0"?><a b="c">é</a>', {"kind": "XML"}),
        Example("<p>Hi</p>", {"tags": ["p"]}),
        "<table><tr><td>1<td>2<tr><td>3</table>",
        "",
    )
    bad: ClassVar = (
        "<p>The boat is <b>late.</p>",
        "<div>never closed",
        "</div>",
        "<b><i>late</b></i>",
        Example("<a><b></a>", {"kind": "XML"}),
        Example("<a>x & y</a>", {"kind": "XML"}),
        Example("<a b=c/>", {"kind": "XML"}),
        Example("Here it is: <a/>", {"kind": "XML"}),
        Example("<p>Hi<script>x()</script></p>", {"tags": ["p"]}),
        Example('<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', {"kind": "XML"}),
        Example("<a/><b/>", {"kind": "XML"}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        only = f", only {', '.join(options.tags)}" if options.tags else ""
        return f"{options.kind} is well formed{only}"[:120]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text
        if len(text) > MOST_MARKUP:
            return [
                Finding(
                    "", None, f"It is longer than the {MOST_MARKUP:,} characters that are read."
                )
            ]
        if not text.strip():
            return [Finding("", self.options.kind == "HTML", "It is empty.")]
        tags = {each.lower() for each in self.options.tags}
        spans = tuple(_html(text, tags) if self.options.kind == "HTML" else _xml(text, tags))[:100]
        if spans:
            return [Finding("", False, in_words(text, spans), spans)]
        return [Finding("", True, "Every tag is closed.")]


def _xml(text: str, allowed: set[str]) -> list[Span]:
    """Without definitions of a document type: those could make a short text endless."""
    parser = expat.ParserCreate()
    found: list[Span] = []
    lines = [0]
    for line in text.split("\n"):
        lines.append(lines[-1] + len(line) + 1)

    def place() -> int:
        return min(lines[parser.CurrentLineNumber - 1] + parser.CurrentColumnNumber, len(text) - 1)

    def on_start(name: str, _: object) -> None:
        if allowed and name.lower() not in allowed:
            found.append(Span(place(), place() + 1 + len(name), "a tag that is not allowed"))

    def on_type(*_: object) -> None:
        raise expat.ExpatError("definitions of a document type are not read")

    parser.StartElementHandler = on_start
    parser.StartDoctypeDeclHandler = on_type
    try:
        parser.Parse(text.encode("utf-16", "replace"), True)
    except expat.ExpatError as error:
        at = max(place(), 0)
        message = expat.ErrorString(error.code) if getattr(error, "code", 0) else str(error)
        found.append(Span(at, at + 1, str(message)))
    return [span for span in found if span.end > span.start]


def _html(text: str, allowed: set[str]) -> list[Span]:
    """What is opened and closed, as HTML has it: some tags need no end, and some have none."""
    found: list[Span] = []
    opened: list[tuple[str, int, int]] = []
    at = 0
    while match := _TAG.search(text, at):
        start, at = match.span()
        if match[0] == "<!--":
            end = text.find("-->", at)
            if end < 0:
                found.append(Span(start, at, "a comment that is not closed"))
                break
            at = end + 3
            continue
        name = (match[2] or "").lower()
        if not name:
            continue
        if match[1]:
            found += _closed(opened, name, start, at)
            continue
        if allowed and name not in allowed:
            found.append(Span(start, at, "a tag that is not allowed"))
        if (match[3] or "").endswith("/") or name in _VOID or len(opened) >= MOST_OPEN:
            continue
        opened.append((name, start, at))
        if name in _RAW and (ended := _RAW[name].search(text, at)):
            at = ended.start()
    found += [
        Span(start, end, "never closed")
        for name, start, end in opened
        if name not in _OPTIONAL and name not in _ALWAYS_WITHIN
    ]
    return sorted(found, key=lambda span: span.start)


def _closed(opened: list[tuple[str, int, int]], name: str, start: int, end: int) -> list[Span]:
    """An end tag: what is wrong with it, and with what it leaves open."""
    place = next((at for at in range(len(opened) - 1, -1, -1) if opened[at][0] == name), None)
    if place is None:
        return [] if name in ("p", "br") else [Span(start, end, "it was never opened")]
    left = [
        Span(first, last, f"still open where </{name}> stands")
        for inner, first, last in opened[place + 1 :]
        if inner not in _OPTIONAL
    ]
    del opened[place:]
    return left
