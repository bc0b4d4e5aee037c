"""Numbers by which passages are referred to: what stays the same keeps its number when a document changes."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Collection, Sequence
from difflib import SequenceMatcher
from typing import NamedTuple

from rapidfuzz import fuzz

ALIKE = 60.0
"""Of 100: a passage that was changed keeps its number where it is so like what stood at its place."""
MOST_COMPARED = 5_000
MOST_ALIGNED = 4_000_000
"""Texts then times texts now: where there are more, the same texts are found in order alone."""
_REFERENCE = re.compile(r"([^#\s]+)#(\d+)\Z")


class Before(NamedTuple):
    """A passage as it was; `path` are the headings over it."""

    number: int
    text: str
    path: Sequence[str] = ()


def numbered(
    before: Sequence[Before],
    texts: Sequence[str],
    highest: int,
    paths: Sequence[Sequence[str]] = (),
) -> list[int]:
    """A number for each text, of which `paths` are the headings. `before` are the passages as they were, in
    order; `highest` is the highest number that was ever given, which none that is new gets again.

    A text that was there keeps its number; one that stands alone under the headings that another stood alone
    under has that one's, and so has one that replaces another at its place and is like it; any other gets a
    new one."""
    was = [each.text for each in before]
    numbers: list[int | None] = [None] * len(texts)
    left: list[tuple[range, range]] = []
    if len(was) * len(texts) <= MOST_ALIGNED:
        matcher = SequenceMatcher(None, was, list(texts), autojunk=False)
        for kind, low, high, first, last in matcher.get_opcodes():
            if kind == "equal":
                for offset in range(high - low):
                    numbers[first + offset] = before[low + offset].number
            else:
                left.append((range(low, high), range(first, last)))
    taken = {number for number in numbers if number is not None}
    _moved(before, texts, numbers, taken)
    _headed(before, paths, numbers, taken)
    for old, new in left:
        _changed(before, texts, numbers, taken, old, new)
    for at, number in enumerate(numbers):
        if number is None:
            highest += 1
            numbers[at] = highest
    return [number for number in numbers if number is not None]


def _moved(
    before: Sequence[Before],
    texts: Sequence[str],
    numbers: list[int | None],
    taken: set[int],
) -> None:
    """The same texts, in order, wherever they stand."""
    there: dict[str, list[int]] = {}
    for number, text, _ in reversed(before):
        if number not in taken:
            there.setdefault(text, []).append(number)
    for at, text in enumerate(texts):
        if numbers[at] is None and there.get(text):
            numbers[at] = there[text].pop()
            taken.add(numbers[at] or 0)


def _headed(
    before: Sequence[Before],
    paths: Sequence[Sequence[str]],
    numbers: list[int | None],
    taken: set[int],
) -> None:
    """What stands alone under its headings, then as now."""
    then = Counter(tuple(each.path) for each in before)
    now = Counter(map(tuple, paths))
    there = {tuple(each.path): each.number for each in before if each.number not in taken}
    for at, told in enumerate(paths):
        path = tuple(told)
        alone = path and then[path] == 1 and now[path] == 1
        if numbers[at] is None and alone and path in there:
            numbers[at] = there[path]
            taken.add(there[path])


def _changed(
    before: Sequence[Before],
    texts: Sequence[str],
    numbers: list[int | None],
    taken: set[int],
    old: range,
    new: range,
) -> None:
    """Within a stretch that differs, in order: each takes the next old one that it is like."""
    if len(old) * len(new) > MOST_COMPARED:
        return
    start = old.start
    for at in new:
        if numbers[at] is not None:
            continue
        for place in range(start, old.stop):
            number, text, _ = before[place]
            if number not in taken and fuzz.ratio(text, texts[at]) >= ALIKE:
                numbers[at] = number
                taken.add(number)
                start = place + 1
                break


def stem_of(file: str, taken: Collection[str] = ()) -> str:
    """What the references of a document begin with: `luggage` of `rules/Luggage.md`, in plain letters, digits
    and hyphens; with a number behind it where another has it."""
    name = file.replace("\\", "/").rsplit("/", 1)[-1]
    name = name.rsplit(".", 1)[0] if "." in name.strip(".") else name
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().casefold()
    stem = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:40].strip("-") or "document"
    found, number = stem, 1
    while found in taken:
        number += 1
        found = f"{stem}-{number}"
    return found


def parted(reference: str) -> tuple[str, int] | None:
    """`luggage#3` as its two parts; None for what is no reference."""
    found = _REFERENCE.match(reference)
    return (found[1], int(found[2])) if found and len(found[2]) < 10 else None
