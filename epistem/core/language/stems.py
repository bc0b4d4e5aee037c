"""The stems of words, by which a word is known in all its forms."""

from __future__ import annotations

import threading
from functools import lru_cache

import snowballstemmer

_stemmers = threading.local()


@lru_cache(maxsize=50_000)
def stem(word: str) -> str:
    """The English stem of a word in small letters: boats and boat have one."""
    if not hasattr(_stemmers, "english"):
        _stemmers.english = snowballstemmer.stemmer("english")
    return str(_stemmers.english.stemWord(word.replace("’", "'")))
