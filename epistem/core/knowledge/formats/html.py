"""HTML as a reader would read it: without scripts, styles and what is hidden."""

from __future__ import annotations

import re

from selectolax.lexbor import LexborHTMLParser, LexborNode

from epistem.core.knowledge.formats.plain import text_of
from epistem.core.knowledge.text import Heading, Text

_LEFT_OUT = re.compile(
    r"(script|style|noscript|template|head|iframe|object|embed|svg|math|canvas|audio|video|select|button"
    r"|input|textarea|nav|-.*)\Z"
)
_BLOCK = re.compile(
    r"(address|article|aside|blockquote|body|caption|dd|details|dialog|div|dl|dt|fieldset|figcaption|figure"
    r"|footer|form|h[1-6]|header|hgroup|hr|html|legend|li|main|ol|p|pre|section|summary|table|tbody|tfoot"
    r"|thead|tr|ul)\Z"
)
_APART = re.compile(r"(p|h[1-6]|table|ul|ol|blockquote|section|article|pre|div)\Z")
_HEADING = re.compile(r"h[1-6]\Z")
_CHARSET = re.compile(rb"<meta[^>]+charset=[\"']?\s*([\w-]+)", re.I)


def read(content: bytes) -> Text:
    parser = LexborHTMLParser(_decoded(content))
    title = parser.css_first("title")
    writing = _Writing()
    body = parser.body
    if body is not None:
        writing.write(body)
    told = ("Scripts and styles were left out.",) if parser.css("script, style") else ()
    heading = title.text(strip=True) if title is not None else ""
    top = [each.title for each in writing.headings if each.level == 1]
    name = top[0] if len(top) == 1 else " ".join(heading.split())
    return Text("".join(writing.pieces).rstrip() + "\n", name, tuple(writing.headings), (), told)


def _decoded(content: bytes) -> str:
    named = _CHARSET.search(content[:4096])
    if named and not content.startswith((b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff")):
        try:
            return content.decode(named[1].decode("ascii"))
        except (LookupError, UnicodeError):
            pass
    return text_of(content)


class _Writing:
    """The text so far, and where its headings are. Nodes are visited without recursion: pages are nested as
    deep as somebody likes."""

    def __init__(self) -> None:
        self.pieces: list[str] = []
        self.headings: list[Heading] = []
        self._length = 0
        self._ends = "\n\n"
        """The last two characters."""

    def write(self, root: LexborNode) -> None:
        waiting: list[tuple[LexborNode, bool]] = [(root, False)]
        while waiting:
            node, leaving = waiting.pop()
            tag = node.tag or ""
            if leaving:
                self._leave(tag)
                continue
            if tag == "-text":
                self._say(node.text_content or "", within_pre=_in_pre(node))
                continue
            if _LEFT_OUT.match(tag) or _hidden(node):
                continue
            self._enter(node, tag)
            waiting.append((node, True))
            waiting += [(child, False) for child in reversed(list(_children(node)))]

    def _enter(self, node: LexborNode, tag: str) -> None:
        if _BLOCK.match(tag):
            self._new_line(apart=_APART.match(tag) is not None)
        if tag == "br":
            self._put("\n")
        elif tag == "li":
            self._put("- ")
        elif tag in ("td", "th") and not self._ends.endswith("\n"):
            self._put(" | ")
        elif _HEADING.match(tag):
            told = " ".join(node.text(deep=True, separator=" ").split())
            if told:
                self.headings.append(Heading(self._length, int(tag[1]), told))

    def _leave(self, tag: str) -> None:
        if _BLOCK.match(tag):
            self._new_line(apart=_APART.match(tag) is not None)

    def _say(self, text: str, *, within_pre: bool) -> None:
        if within_pre:
            self._put(text)
            return
        told = re.sub(r"\s+", " ", text)
        if self._ends[-1] in " \n":
            told = told.lstrip()
        self._put(told)

    def _new_line(self, *, apart: bool) -> None:
        while self.pieces and self._ends.endswith(" "):
            self._trim()
        if not self._ends.endswith("\n"):
            self._put("\n")
        if apart and self.pieces and not self._ends.endswith("\n\n"):
            self._put("\n")

    def _trim(self) -> None:
        last = self.pieces.pop()
        kept = last.rstrip(" ")
        self._length -= len(last) - len(kept)
        if kept:
            self.pieces.append(kept)
        told = "".join(self.pieces[-2:])
        self._ends = ("\n\n" + told)[-2:]

    def _put(self, text: str) -> None:
        if text:
            self.pieces.append(text)
            self._length += len(text)
            self._ends = (self._ends + text)[-2:]


def _children(node: LexborNode) -> list[LexborNode]:
    found, child = [], node.first_child
    while child is not None:
        found.append(child)
        child = child.next
    return found


def _in_pre(node: LexborNode) -> bool:
    parent = node.parent
    return parent is not None and parent.tag in ("pre", "textarea")


def _hidden(node: LexborNode) -> bool:
    told = node.attributes or {}
    style = (told.get("style") or "").replace(" ", "").lower()
    return "hidden" in told or "display:none" in style or told.get("aria-hidden") == "true"
