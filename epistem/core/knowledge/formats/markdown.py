"""Markdown, kept as it was written: only its headings are looked for."""

from __future__ import annotations

import re

from markdown_it import MarkdownIt

from epistem.core.knowledge.formats.plain import text_of
from epistem.core.knowledge.text import Heading, Text

_LINK = re.compile(r"!?\[([^\]]*)\]\([^)]*\)")
_MARKS = re.compile(r"[*_`~]+")


def read(content: bytes) -> Text:
    text = text_of(content)
    parser = MarkdownIt("js-default")
    # What stands inside a line is not asked for, and is what takes long over some texts.
    parser.core.ruler.enableOnly(["normalize", "block"])
    starts = _line_starts(text)
    headings = []
    tokens = parser.parse(text)
    for at, token in enumerate(tokens):
        if token.type == "heading_open" and token.map and token.level == 0:
            title = _plain(tokens[at + 1].content)
            if title:
                headings.append(Heading(starts[token.map[0]], int(token.tag[1]), title))
    top = [each.title for each in headings if each.level == 1]
    return Text(text, top[0] if len(top) == 1 else "", tuple(headings))


def _line_starts(text: str) -> list[int]:
    starts = [0]
    for line in text.split("\n"):
        starts.append(starts[-1] + len(line) + 1)
    return starts


def _plain(title: str) -> str:
    return " ".join(_MARKS.sub("", _LINK.sub(r"\1", title)).split())
