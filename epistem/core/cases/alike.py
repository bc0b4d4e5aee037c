"""Cases that ask nearly the same: found by the rare letter sequences that they share, then by their likeness.

All pairs of 10,000 texts are 50 million; a pair that is nearly alike shares some sequence of letters that
few others have, so only those that do are held against each other.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from rapidfuzz import fuzz

from epistem.core.cases.content import Case, is_picture, shown_in_words

ALIKE = 0.9
"""Of 1: how like each other texts are that count as nearly the same."""
_GRAM = 6
_GRAMS_LOOKED_AT = 24
"""The rarest sequences of a text: of so many a near-duplicate has one, even where words were changed."""
_COMMON = 40
"""A sequence that more texts have tells nothing."""
_LOOKED_AT = 2_000
_MOST_PAIRS = 2_000_000


class Pair(NamedTuple):
    """Places of two texts, the first one first, and how like they are: 1 for the same letters."""

    one: int
    other: int
    likeness: float


def asked_text(case: Case) -> str:
    """What it asks, in small letters without white space that does not matter."""
    told = [shown_in_words(value) for value in case.inputs.values() if not is_picture(value)]
    return " ".join(" ".join([*told, *case.turns])[:_LOOKED_AT].casefold().split())


def near_duplicates(texts: Sequence[str], alike: float = ALIKE) -> list[Pair]:
    """Pairs that are nearly the same, the most alike first. Empty texts are like no others."""
    same = defaultdict(list)
    for at, text in enumerate(texts):
        if text:
            same[text].append(at)
    first = {text: places[0] for text, places in same.items()}
    found = [Pair(places[0], at, 1.0) for places in same.values() for at in places[1:]]
    kinds = list(first)
    for one, other in _candidates(kinds):
        likeness = fuzz.ratio(kinds[one], kinds[other], score_cutoff=100 * alike) / 100
        if likeness:
            places = sorted((first[kinds[one]], first[kinds[other]]))
            found.append(Pair(places[0], places[1], likeness))
    return sorted(found, key=lambda pair: (-pair.likeness, pair.one, pair.other))


def _candidates(texts: Sequence[str]) -> Iterator[tuple[int, int]]:
    """Pairs that share a rare sequence of letters, each once; no more than can be held against each other."""
    grams = [_grams(text) for text in texts]
    times = Counter(gram for each in grams for gram in each)
    having: dict[str, list[int]] = defaultdict(list)
    seen: set[tuple[int, int]] = set()
    for at, each in enumerate(grams):
        rare = sorted(
            (gram for gram in each if times[gram] <= _COMMON), key=lambda g: (times[g], g)
        )
        for gram in rare[:_GRAMS_LOOKED_AT]:
            for before in having[gram]:
                if (before, at) not in seen:
                    seen.add((before, at))
                    yield before, at
                    if len(seen) >= _MOST_PAIRS:
                        return
            having[gram].append(at)


def _grams(text: str) -> set[str]:
    if len(text) <= _GRAM:
        return {text}
    return {text[at : at + _GRAM] for at in range(len(text) - _GRAM + 1)}
