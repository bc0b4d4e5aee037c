"""The rules: what a text becomes in other letters, spelling, words, names. None where a rule finds nothing."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from hashlib import sha256
from typing import Any

from epistem.core.cases.pair import Variation
from epistem.core.cases.varied.names import AFTER_HIS, HERS, HIS, ONE_WAY, OTHER_GENDER, SWAPPED
from epistem.core.cases.varied.wordings import IRRELEVANT, REPHRASED, SAME

SHORTEST_MISSPELT = 5
ONE_IN = 6
"""About one word in so many is misspelt, and one at least."""
_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)?")
_LINK = re.compile(r"\S*(?:@|://|www\.)\S*")
_NAMES = {name: names for names in (HERS, HIS) for name in names}
_BACK = {other: one for one, other in SWAPPED.items()}
_TO = {**ONE_WAY, **SWAPPED, **_BACK}
_WAYS = {
    **{other.lower(): one for one, other in SAME},
    **{one.lower(): other for one, other in (*SAME, *REPHRASED)},
}
_ANY_WAY = re.compile(
    r"(?<![\w'’])(?:"
    + "|".join(re.escape(w).replace("'", "['’]") for w in sorted(_WAYS, key=len, reverse=True))
    + r")(?![\w'’])",
    re.I,
)
TextRule = Callable[[str, bytes], str]


def upper_case(text: str, seed: bytes) -> str:
    """In capitals, but for addresses."""
    return _outside_links(text, str.upper)


def misspelt(text: str, seed: bytes) -> str:
    """Two inner letters of some words change places. Words with a capital are left, which may be names."""
    held = [span.span() for span in _LINK.finditer(text)]
    words = [
        found
        for found in _WORD.finditer(text)
        if len(found[0]) >= SHORTEST_MISSPELT
        and found[0].islower()
        and found[0].isascii()
        and not any(start <= found.start() < end for start, end in held)
        and _inner(found[0])
    ]
    by_lot = sorted(words, key=lambda each: _lot(seed, each.start()))
    chosen = by_lot[: max(1, len(words) // ONE_IN)]
    for found in sorted(chosen, key=lambda each: -each.start()):
        word = found[0]
        places = _inner(word)
        at = places[_lot(seed, -found.start()) % len(places)]
        word = word[:at] + word[at + 1] + word[at] + word[at + 2 :]
        text = text[: found.start()] + word + text[found.end() :]
    return text


def rephrased(text: str, seed: bytes) -> str:
    """Short forms for long ones and back, and some words for others that mean the same; all at once, so
    that nothing is put back."""

    def put(found: re.Match[str]) -> str:
        becomes = _WAYS[found[0].lower().replace("’", "'")]
        shortened = "'" in becomes and "'" not in found[0]
        if shortened and not re.match(r"\s+\w", text[found.end() : found.end() + 3]):
            return found[0]  # “as I am.” has no short form
        return _as_written(found[0], becomes)

    return _ANY_WAY.sub(put, text)


def other_name(text: str, seed: bytes) -> str:
    """Each given name becomes another that tells the same gender."""
    shift = 1 + _lot(seed) % (len(HERS) - 1)

    def another(found: re.Match[str]) -> str:
        names = _NAMES.get(found[0])
        return names[(names.index(found[0]) + shift) % len(names)] if names else found[0]

    return _WORD.sub(another, text)


def other_gender(text: str, seed: bytes) -> str:
    """She for he and back, and given names and words that tell a gender with it."""

    def swapped(found: re.Match[str]) -> str:
        word, small = found[0], found[0].lower()
        if word in OTHER_GENDER:
            return OTHER_GENDER[word]
        if small == "her":
            after = _WORD.match(text, found.end() + 1)
            whose = after is not None and after[0].lower() not in AFTER_HIS
            return _as_written(word, "his" if whose and text[found.end()] == " " else "him")
        if small == "his":
            return _as_written(word, "her")
        return _as_written(word, _TO[small]) if small in _TO else word

    return _WORD.sub(swapped, text)


def irrelevant(text: str, seed: bytes) -> str:
    """A sentence more that has nothing to do with it."""
    more = IRRELEVANT[_lot(seed) % len(IRRELEVANT)]
    end = "" if text.rstrip().endswith((".", "!", "?", "…")) else "."
    return f"{text.rstrip()}{end} {more}" if text.strip() else text


TEXT_RULES: Mapping[Variation, TextRule] = {
    "upper case": upper_case,
    "misspelt": misspelt,
    "rephrased": rephrased,
    "other name": other_name,
    "other gender": other_gender,
    "irrelevant": irrelevant,
}


def other_order(value: Any) -> Any:
    """Of a list, from its last to its first."""
    return list(reversed(value)) if isinstance(value, list) else value


def _lot(seed: bytes, place: int = 0) -> int:
    """A number drawn by lot, always the same for this seed and place."""
    return int.from_bytes(sha256(seed + str(place).encode()).digest()[:8], "big")


def _inner(word: str) -> list[int]:
    """Where two inner letters that differ stand side by side."""
    return [
        at
        for at in range(1, len(word) - 2)
        if word[at] != word[at + 1] and "'" not in word[at : at + 2]
    ]


def _as_written(was: str, becomes: str) -> str:
    """With the capitals of the word that it stands for."""
    if was.isupper() and len(was) > 1:
        return becomes.upper()
    if was[:1].isupper():
        return becomes[:1].upper() + becomes[1:]
    return becomes


def _outside_links(text: str, change: Callable[[str], str]) -> str:
    told, at = [], 0
    for found in _LINK.finditer(text):
        told += [change(text[at : found.start()]), found[0]]
        at = found.end()
    return "".join([*told, change(text[at:])])
