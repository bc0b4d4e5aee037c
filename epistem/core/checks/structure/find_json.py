"""Find the JSON in an answer, wherever the model put it."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any, NamedTuple

from epistem.core import strict_json

_OPENERS = re.compile(r"[{\[]")
_DECODER = strict_json.DECODER
MAX_STARTS = 200
"""Brackets tried before giving up, so that a long text of brackets stays cheap."""


class FoundJson(NamedTuple):
    """`value` stood at text[start:end]; `bare` tells that nothing but white space was round it."""

    value: Any
    start: int
    end: int
    bare: bool


@lru_cache(maxsize=2)
def find_json(text: str) -> FoundJson | None:
    """The whole text if it is JSON, else the longest object or list inside it, else None.

    Several checks ask this of one answer, so the last two are kept: do not change `value`.
    """
    try:
        return FoundJson(strict_json.loads(text), 0, len(text), True)
    except (ValueError, RecursionError):
        pass
    best: FoundJson | None = None
    covered = 0
    for tried, opener in enumerate(_OPENERS.finditer(text)):
        if tried >= MAX_STARTS:
            break
        start = opener.start()
        if start < covered:
            continue  # inside one that was read already
        try:
            value, end = _DECODER.raw_decode(text, start)
        except (ValueError, RecursionError):
            continue
        covered = end
        if best is None or end - start > best.end - best.start:
            best = FoundJson(value, start, end, False)
    return best
