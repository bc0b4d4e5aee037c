"""Words and phrases looked for in a text: capitals and line breaks do not count, pieces of words do not."""

from __future__ import annotations

import re
from functools import lru_cache


def folded(name: str) -> str:
    """Of a name, such as a label: capitals, underscores and other marks do not count."""
    return " ".join(re.sub(r"[\W_]+", " ", name).split()).casefold()


def alternatives(phrase: str) -> list[str]:
    """`date | which day` are two ways to say it; each in small letters, without empty ones."""
    told = (" ".join(way.casefold().split()) for way in phrase.split("|"))
    return [way for way in told if way]


def stands_in(phrase: str, text: str) -> bool:
    """Whether it stands there as whole words. A phrase of no words stands nowhere."""
    pattern = _pattern(" ".join(phrase.casefold().split()))
    return pattern is not None and pattern.search(text.casefold()) is not None


@lru_cache(maxsize=4_096)
def _pattern(phrase: str) -> re.Pattern[str] | None:
    if not phrase:
        return None
    words = r"\s+".join(map(re.escape, phrase.split()))
    return re.compile(rf"(?<!\w){words}(?!\w)")
