"""The longest run of words that two texts share, by an automaton of suffixes, in linear time."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from epistem.core.language.reading import words

MOST_READ = 100_000
"""Characters of a text that are looked through for shared runs."""


class SharedRun(NamedTuple):
    """So many words in a row; where they stand in the answer, end excluded, and in which source (−1: none)."""

    length: int
    start: int
    end: int
    source: int


class Runs:
    """All runs of words of one text. A. Blumer et al., Theor. Comput. Sci. 40 (1985) 31–55."""

    def __init__(self, told: list[str]) -> None:
        self._nexts: list[dict[str, int]] = [{}]
        self._link, self._size, last = [-1], [0], 0
        for word in told:
            last = self._add(word, last)

    def _add(self, word: str, last: int) -> int:
        nexts, link, size = self._nexts, self._link, self._size
        here, at = len(nexts), last
        nexts.append({})
        link.append(0)
        size.append(size[last] + 1)
        while at != -1 and word not in nexts[at]:
            nexts[at][word] = here
            at = link[at]
        if at == -1:
            return here
        to = nexts[at][word]
        if size[at] + 1 == size[to]:
            link[here] = to
            return here
        copy = len(nexts)
        nexts.append(dict(nexts[to]))
        link.append(link[to])
        size.append(size[at] + 1)
        while at != -1 and nexts[at].get(word) == to:
            nexts[at][word] = copy
            at = link[at]
        link[to] = link[here] = copy
        return here

    def longest(self, told: list[str]) -> tuple[int, int]:
        """How many words of `told` in a row are a run, and the place of the first of them."""
        best = place = state = run = 0
        for index, word in enumerate(told):
            while state and word not in self._nexts[state]:
                state = self._link[state]
                run = self._size[state]
            if word in self._nexts[state]:
                state, run = self._nexts[state][word], run + 1
            if run > best:
                best, place = run, index - run + 1
        return best, place

    def all(self, told: list[str], least: int) -> list[tuple[int, int]]:
        """The places in `told`, first word and end, that stand in runs of at least so many words; those that
        overlap are one."""
        found: list[tuple[int, int]] = []
        state = run = 0
        for index, word in enumerate(told):
            while state and word not in self._nexts[state]:
                state = self._link[state]
                run = self._size[state]
            if word in self._nexts[state]:
                state, run = self._nexts[state][word], run + 1
            if run < least:
                continue
            start = index - run + 1
            if found and start <= found[-1][1]:
                found[-1] = (min(start, found[-1][0]), index + 1)
            else:
                found.append((start, index + 1))
        return found


@lru_cache(maxsize=32)
def _runs_of(texts: tuple[str, ...]) -> Runs:
    """Of all of them: no run reaches from one into the next."""
    told: list[str] = []
    for at, text in enumerate(texts):
        told += [*_said(text), f"\0{at}"]
    return Runs(told)


@lru_cache(maxsize=4_096)
def _said(text: str) -> tuple[str, ...]:
    return tuple(text[w.start : w.end].lower() for w in words(text))


def longest_run(text: str, *sources: str) -> SharedRun:
    """The most words of `text` in a row that stand so in one of the sources, whatever their case."""
    text = text[:MOST_READ]
    texts = tuple(source[:MOST_READ] for source in sources)
    told = [text[w.start : w.end].lower() for w in words(text)]
    length, at = _runs_of(texts).longest(told)
    if not length:
        return SharedRun(0, 0, 0, -1)
    run = tuple(told[at : at + length])
    where = next(place for place, source in enumerate(texts) if _has(_said(source), run))
    mine = words(text)
    return SharedRun(length, mine[at].start, mine[at + length - 1].end, where)


class Shared(NamedTuple):
    """Of so many words of a text `shared` stand in runs; where those are, as offsets, end excluded."""

    words: int
    shared: int
    runs: list[tuple[int, int]]


def shared_runs(text: str, sources: Sequence[str], least: int) -> Shared:
    """What of a text stands in one of the sources, at least so many words in a row, whatever their case."""
    text = text[:MOST_READ]
    mine = words(text)
    told = [text[w.start : w.end].lower() for w in mine]
    found = _runs_of(tuple(source[:MOST_READ] for source in sources)).all(told, least)
    places = [(mine[start].start, mine[end - 1].end) for start, end in found]
    return Shared(len(told), sum(end - start for start, end in found), places)


def _has(told: tuple[str, ...], run: tuple[str, ...]) -> bool:
    return any(told[at : at + len(run)] == run for at, word in enumerate(told) if word == run[0])
