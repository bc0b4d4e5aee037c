"""Words, their stems, and how alike two texts are."""

from __future__ import annotations

import re
import tomllib
from collections import Counter
from functools import lru_cache
from importlib import resources
from math import sqrt
from typing import Any

_WORD = re.compile(r"[^\W_]+(?:['’][^\W_]+)?")
_ENDINGS = ("ing", "ed", "es", "s", "ly")
_COMMON_WORDS = """
    a an and are as at be been but by can could do does for from had has have he her his how i if in
    is it its just me my no not of on one or our out she so some than that the their them then there
    they this to too up us was we were what when where which who will with would you your please
"""
_COMMON = frozenset(_COMMON_WORDS.split())


@lru_cache(maxsize=50_000)
def stem(word: str) -> str:
    if word.endswith("ies") and len(word) > 4:
        return f"{word[:-3]}y"
    for ending in _ENDINGS:
        if word.endswith(ending) and len(word) - len(ending) >= 3 and not word.endswith("ss"):
            if ending == "es" and not re.search(r"(?:s|x|z|ch|sh)es$", word):
                continue  # “titles” is “title”, “boxes” is “box”
            return word[: -len(ending)]
    return word


@lru_cache(maxsize=20_000)
def stems(text: str) -> tuple[str, ...]:
    """The stems of a text's telling words, in order."""
    words = (word.lower().replace("’", "'") for word in _WORD.findall(text))
    return tuple(stem(w) for w in words if w not in _COMMON and not w[0].isdigit())


@lru_cache(maxsize=1)
def _groups() -> dict[str, frozenset[str]]:
    """For each stem, the groups of words it belongs to."""
    found: dict[str, set[str]] = {}
    for group, words in knowledge()["groups"].items():
        for word in words.split():
            found.setdefault(stem(word), set()).add(group)
    return {word: frozenset(groups) for word, groups in found.items()}


@lru_cache(maxsize=1)
def knowledge() -> dict[str, dict[str, str]]:
    """The data file of words that belong together."""
    text = (resources.files("epistem.standin") / "knowledge.toml").read_text("utf-8")
    return tomllib.loads(text)


@lru_cache(maxsize=1)
def lexicon() -> dict[str, Any]:
    """The data file of how it talks: `voice` (lists of phrases), `plain` (a stiff word and the everyday
    one), `languages` (English words and their words in each)."""
    return tomllib.loads((resources.files("epistem.standin") / "voice.toml").read_text("utf-8"))


@lru_cache(maxsize=50_000)
def likeness(one: str, other: str) -> float:
    """Cosine of the two texts' word counts, 0–1; a word counts by its length, and more if it is known."""
    a, b = Counter(stems(one)), Counter(stems(other))
    if not a or not b:
        return 0.0
    known = _groups()
    weight = {w: (1 + min(len(w), 8) / 4) * (1.5 if w in known else 0.7) for w in a | b}
    dot = sum(a[w] * b[w] * weight[w] ** 2 for w in a)
    size = sqrt(sum((a[w] * weight[w]) ** 2 for w in a) * sum((b[w] * weight[w]) ** 2 for w in b))
    return dot / size


@lru_cache(maxsize=50_000)
def shared_groups(one: str, other: str) -> float:
    """How much of the groups of words that either text touches both touch, 0–1."""
    groups = _groups()
    a, b = (
        frozenset().union(*(groups.get(word, frozenset()) for word in stems(text)))
        for text in (one, other)
    )
    return len(a & b) / len(a | b) if a | b else 0.0


@lru_cache(maxsize=50_000)
def kinship(text: str, about: str) -> float:
    """How far words of `text` belong to the groups that the words of `about` belong to, 0–1."""
    groups = _groups()
    wanted = frozenset().union(
        *(groups.get(word, frozenset()) for word in stems(about)), frozenset()
    )
    words = set(stems(text))
    if not wanted or not words:
        return 0.0
    hits = sum(1 for word in words if groups.get(word, frozenset()) & wanted)
    return min(1.0, hits / 2)


def urgency(text: str) -> float:
    """0–1, by words and marks that press."""
    pressing = {stem(word) for word in knowledge()["urgent"]["words"].split()}
    hits = sum(1 for word in stems(text) if word in pressing) + text.count("!")
    return min(1.0, hits / 3)
