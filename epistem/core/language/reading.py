"""How an answer is cut up for counting: words, sentences, paragraphs, lines, list items, as offsets.

Rules of our own, in time linear to the text: packages that do it well took ten times as long as a check may.
Several checks ask the same of one answer, so the last few are kept.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import NamedTuple

_CJK = "\u3040-\u30ff\u3400-\u4dbf\u4e00-\u9fff\uf900-\ufaff"
_WORD = re.compile(rf"[{_CJK}]|[^\W_{_CJK}](?:[^\s{_CJK}]*[^\W_{_CJK}])?")
_MARKER = re.compile(r"^[ \t]*(?:[-*+•–]|\(?\d{1,3}[.)]|\(?[a-z][.)])[ \t\u00a0]+", re.M)
_BREAK = re.compile(r"\n[ \t\r]*\n\s*")
_STOP = re.compile(r"[.!?…]+[\"'”’»)\]]*(?=\s|$)|[。！？]+[」』”]?")
_LAST = re.compile(r"(\S{1,40})$")
_NEXT = re.compile(r"[\s\"'“‘«(\[]*(\w[\w'’]*)")
_NEVER_LAST = frozenset(
    [
        "mr",
        "mrs",
        "ms",
        "mx",
        "dr",
        "prof",
        "rev",
        "hon",
        "st",
        "mt",
        "fig",
        "figs",
        "no",
        "nos",
        "vs",
        "e.g",
        "i.e",
        "cf",
        "approx",
        "ca",
        "pp",
        "p",
        "vol",
        "ch",
        "sec",
        "eq",
        "ed",
        "eds",
        "gen",
        "col",
        "capt",
        "lt",
        "sgt",
        "sr",
        "jr",
        "ave",
        "blvd",
        "rd",
        "dept",
        "est",
        "incl",
        "excl",
        "resp",
    ]
)
"""Abbreviations that something always follows."""
_STARTERS = frozenset(
    [
        "the",
        "a",
        "an",
        "this",
        "that",
        "these",
        "those",
        "it",
        "he",
        "she",
        "they",
        "we",
        "you",
        "i",
        "there",
        "here",
        "in",
        "on",
        "at",
        "for",
        "from",
        "with",
        "by",
        "if",
        "when",
        "while",
        "after",
        "before",
        "as",
        "but",
        "and",
        "so",
        "or",
        "yet",
        "our",
        "your",
        "his",
        "her",
        "their",
        "my",
        "its",
        "please",
        "all",
        "both",
        "each",
        "every",
        "some",
        "many",
        "most",
        "what",
        "who",
        "where",
        "why",
        "how",
        "which",
        "do",
        "does",
        "is",
        "are",
        "was",
        "were",
        "can",
        "could",
        "will",
        "would",
        "may",
        "no",
        "not",
    ]
)
"""Words that a sentence often begins with: what tells "in the U.S. The" from "the U.S. Office"."""


class Piece(NamedTuple):
    """text[start:end]."""

    start: int
    end: int


@lru_cache(maxsize=4)
def words(text: str) -> tuple[Piece, ...]:
    """Runs without white space that have a letter or digit; of scripts without spaces, each character.

    Numbers with a point, times, hyphens and addresses are one word; the marker of a list item is none.
    """
    marked = {match.start(): match.end() for match in _MARKER.finditer(text)}
    skipped = list(marked.items())
    found, at = [], 0
    for match in _WORD.finditer(text):
        while at < len(skipped) and skipped[at][1] <= match.start():
            at += 1
        if at < len(skipped) and skipped[at][0] <= match.start() < skipped[at][1]:
            continue
        found.append(Piece(match.start(), match.end()))
    return tuple(found)


@lru_cache(maxsize=4)
def sentences(text: str) -> tuple[Piece, ...]:
    """Sentences, without the white space round them. Items of a list and paragraphs end one."""
    return tuple(piece for block in _blocks(text) for piece in _sentences_in(text, block))


def paragraphs(text: str) -> Sequence[Piece]:
    """What stands between empty lines."""
    found, start = [], 0
    for match in _BREAK.finditer(text):
        found.append(Piece(start, match.start()))
        start = match.end()
    found.append(Piece(start, len(text)))
    return [piece for each in found if (piece := _stripped(text, each))]


def lines(text: str) -> Sequence[Piece]:
    """Lines with something on them."""
    found, start = [], 0
    for line in text.splitlines(keepends=True):
        if piece := _stripped(text, Piece(start, start + len(line))):
            found.append(piece)
        start += len(line)
    return found


def items(text: str) -> Sequence[Piece]:
    """List items, as far as the end of their first line."""
    found = []
    for match in _MARKER.finditer(text):
        end = text.find("\n", match.end())
        if piece := _stripped(text, Piece(match.end(), len(text) if end < 0 else end)):
            found.append(piece)
    return found


def _blocks(text: str) -> Iterator[Piece]:
    """Paragraphs, cut before every list item."""
    for paragraph in paragraphs(text):
        start = paragraph.start
        for match in _MARKER.finditer(text, paragraph.start, paragraph.end):
            if match.start() > start:
                yield Piece(start, match.start())
            start = match.end()
        yield Piece(start, paragraph.end)


def _sentences_in(text: str, block: Piece) -> Iterator[Piece]:
    start = block.start
    for match in _STOP.finditer(text, block.start, block.end):
        if not _ends(text, match, block):
            continue
        if piece := _stripped(text, Piece(start, match.end())):
            yield piece
        start = match.end()
    if piece := _stripped(text, Piece(start, block.end)):
        yield piece


def _ends(text: str, stop: re.Match[str], block: Piece) -> bool:
    """Whether this stop ends a sentence, by the word before it and the one after."""
    if stop[0][0] in "。！？":
        return True
    after = _NEXT.match(text, stop.end(), block.end)
    if after is None:
        return True
    if after[1][0].islower():
        return False
    if stop[0][0] != ".":
        return True
    before = _LAST.search(text, max(block.start, stop.start() - 40), stop.start())
    word = before[1].lstrip("\"'“‘«([").lower() if before else ""
    if word in _NEVER_LAST:
        return False
    initial = len(word) == 1 and word.isalpha() and word != "i"
    dotted = "." in word and all(len(part) == 1 and part.isalpha() for part in word.split("."))
    if initial or dotted or word in ("etc", "inc", "ltd", "co", "corp", "bros"):
        return after[1].lower() in _STARTERS and not initial
    return True


def _stripped(text: str, piece: Piece) -> Piece | None:
    inside = text[piece.start : piece.end]
    bare = inside.strip()
    if not bare:
        return None
    start = piece.start + len(inside) - len(inside.lstrip())
    return Piece(start, start + len(bare))
