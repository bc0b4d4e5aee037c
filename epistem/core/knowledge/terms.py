"""Of a text the words that it is searched by: small letters, English stems, numbers and times whole."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from epistem.core.language.little import LITTLE
from epistem.core.language.stems import stem

_CJK = "\u3040-\u30ff\u3400-\u4dbf\u4e00-\u9fff\uf900-\ufaff"
_TERM = re.compile(
    rf"\d+(?:[.:,]\d+)+|[{_CJK}]|[^\W_{_CJK}]+(?:['’][^\W_{_CJK}]+)*",
)
LONGEST = 60
"""Characters of a word that count: what is longer is no word that anybody types."""


def terms(text: str) -> list[str]:
    """In order, each as often as it stands there."""
    return [stem(word[:LONGEST]) for word in _TERM.findall(text.lower())]


def asked(question: str) -> list[str]:
    """The words of a question that tell what it is about, each once, in an order of their own; all of them where
    none does."""
    words = _TERM.findall(question.lower())
    telling = [word for word in words if word.replace("’", "'") not in LITTLE]
    return sorted({stem(word[:LONGEST]) for word in telling or words})


def matched(text: str, wanted: Iterable[str]) -> Iterator[tuple[int, int]]:
    """Where words stand in a text that are searched by one of these terms: start and end of each."""
    told = set(wanted)
    for found in _TERM.finditer(text):
        if stem(found[0].lower()[:LONGEST]) in told:
            yield found.start(), found.end()
