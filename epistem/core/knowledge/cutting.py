"""Cutting a text into passages: by headings, by length at the ends of sentences, by rows, or by hand.

Whatever the way, the passages' own ranges are a partition of the text: no character is lost or told twice, but
for the overlap that is asked for.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Collection, Iterator, Sequence
from typing import Literal, NamedTuple

from pydantic import Field

from epistem.core.knowledge.text import Heading, Text
from epistem.core.language.reading import paragraphs, sentences
from epistem.core.shapes import Document, said

MOST_CHARACTERS = 20_000
MOST_PASSAGES = 200_000
By = Literal["headings", "length", "rows", "hand"]


class Cut(Document):
    """How a document is cut. `most` and `overlap` are characters; `at` are the places where passages begin
    that are cut by hand."""

    by: By = Field("headings", title="Cut by")
    most: int = Field(
        1_200,
        ge=100,
        le=MOST_CHARACTERS,
        title="Characters at most",
        description="What is longer is cut at the end of a sentence.",
    )
    overlap: int = Field(
        0,
        ge=0,
        le=MOST_CHARACTERS // 2,
        title="Overlap",
        description="So many characters of what stands before are told again, from the start of a sentence.",
    )
    level: int = Field(3, ge=1, le=6, title="Headings down to level")
    at: list[int] = said(max_length=MOST_PASSAGES)


class Slice(NamedTuple):
    """text[start:end] is its own; it is told from `lead` on, which is before `start` where it overlaps with
    what stands before, and behind it where it begins with headings. `path` are the titles of the headings over
    it, outermost first; `title` is the last of them, or that of the document."""

    start: int
    end: int
    lead: int
    title: str
    path: tuple[str, ...]


def cut(document: Text, how: Cut) -> list[Slice]:
    """In order; none for a text that is empty. Ranges of white space alone belong to the passage before."""
    text = document.text
    if not text.strip():
        return []
    over, slices = _Over(document.rows if how.by == "rows" else document.headings), []
    begun = {each.start for each in document.headings}
    for start, end, lead, titled in _own(document, how):
        path = over.path(max(start, titled))
        if lead == start:
            lead = _behind_headings(text, start, end, begun)
        slices.append(Slice(start, end, lead, path[-1] if path else document.title, path))
    return slices


def _behind_headings(text: str, start: int, end: int, headings: Collection[int]) -> int:
    """Where its own words begin: its path tells the headings. What is headings alone begins with them."""
    at = start
    while at < end and (at in headings or text[at].isspace()):
        if at not in headings:
            at += 1
            continue
        line = text.find("\n", at, end)
        at = end if line < 0 else line + 1
        under = text[at : max(text.find("\n", at, end), at)].strip()
        if under and not under.strip("=-"):
            at += text[at:end].find("\n") + 1
    return at if at < end and text[at:end].strip() else start


def _begun(document: Text, how: Cut) -> list[int]:
    """Where a passage has to begin, 0 among them, in order."""
    length = len(document.text)
    match how.by:
        case "headings":
            places = [each.start for each in document.headings if each.level <= how.level]
        case "rows":
            places = [each.start for each in document.rows]
        case "hand":
            places = list(how.at)
        case "length":
            places = []
    return sorted({0, *(place for place in places if 0 < place < length)})


def _own(document: Text, how: Cut) -> Iterator[tuple[int, int, int, int]]:
    """(start, end, lead, where the section begins that it is named after). A heading without a text of its
    own goes with what follows it, and white space with what stands before."""
    text, begun = document.text, _begun(document, how)
    by_place = how.by in ("headings", "hand")
    titled = {each.start for each in document.headings} if by_place else set()
    sections: list[tuple[int, int, int]] = []
    waiting: int | None = None
    for place, start in enumerate(begun):
        end = begun[place + 1] if place + 1 < len(begun) else len(text)
        within = text[start:end]
        if not within.strip() and sections and waiting is None:
            sections[-1] = (sections[-1][0], end, sections[-1][2])
            continue
        waiting = start if waiting is None else waiting
        last = place + 1 == len(begun)
        if not last and (not within.strip() or (start in titled and _is_bare(within))):
            continue
        sections.append((waiting, end, start))
        waiting = None
    if waiting is not None:  # only white space follows
        sections[-1] = (sections[-1][0], len(text), sections[-1][2])
    for start, end, named in sections:
        if how.by == "hand":
            yield start, end, start, named
        else:
            for one, stop, lead in _short_enough(text[start:end], how):
                yield start + one, start + stop, start + lead, named


def _is_bare(section: str) -> bool:
    """Whether it is a heading and nothing else."""
    lines = [line for line in section.splitlines() if line.strip()]
    return len(lines) == 1 or (len(lines) == 2 and not lines[1].strip().strip("=-"))


def _short_enough(section: str, how: Cut) -> Iterator[tuple[int, int, int]]:
    """(start, end, lead) within a section, cut where it is too long: at the ends of paragraphs rather than
    of sentences, of sentences rather than words, of words rather than anywhere."""
    stop = len(section.rstrip())
    if stop <= how.most:
        yield 0, len(section), 0
        return
    ends = [_after(section, piece.end) for piece in sentences(section)]
    better = [_after(section, piece.end) for piece in paragraphs(section)]
    begins = [piece.start for piece in sentences(section)]
    start = 0
    while start < len(section):
        limit = start + how.most
        if stop <= limit:
            end = len(section)
        else:
            end = _last(better, start + how.most // 3, limit) or _last(ends, start, limit) or 0
        if not end:
            space = section.rfind(" ", start + how.most // 2, limit)
            end = limit if space < 0 else space + 1
        lead = start
        if start and how.overlap:
            at = bisect_left(begins, start - how.overlap)
            lead = min(begins[at], start) if at < len(begins) else start
        yield start, end, lead
        start = end


def _last(places: Sequence[int], after: int, limit: int) -> int | None:
    at = bisect_right(places, limit) - 1
    return places[at] if at >= 0 and places[at] > after else None


def _after(text: str, end: int) -> int:
    """Behind the white space that follows."""
    while end < len(text) and text[end].isspace():
        end += 1
    return end


class _Over:
    """Which headings stand over a place, asked for places in order."""

    def __init__(self, headings: Sequence[Heading]) -> None:
        self._headings, self._at = headings, 0
        self._open: list[Heading] = []

    def path(self, place: int) -> tuple[str, ...]:
        """Of what begins there; a heading that does stands over it, too."""
        while self._at < len(self._headings) and self._headings[self._at].start <= place:
            heading = self._headings[self._at]
            self._open = [each for each in self._open if each.level < heading.level]
            self._open.append(heading)
            self._at += 1
        return tuple(heading.title for heading in self._open)
