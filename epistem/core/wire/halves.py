"""Characters that come in two pieces: halves of surrogate pairs, and bytes of UTF-8 that were cut."""

from __future__ import annotations

import re

_CUT = re.compile("[\udc80-\udcff]+")
"""Bytes that are no UTF-8 by themselves, as the error handler `surrogateescape` has them."""
_TAIL = re.compile("(?:[\ud800-\udbff]|[\udc80-\udcff]{1,3})\\Z")


def whole(text: str) -> str:
    """With halves that belong together put together, and `?` for those that are alone: they can't be sent or kept."""
    try:
        text.encode()
        return text
    except UnicodeEncodeError:
        pass
    # Two halves of a pair first: the bytes that were cut are lone low halves, and stay apart by it.
    paired = text.encode("utf-16-le", "surrogatepass").decode("utf-16-le", "surrogatepass")
    joined = _CUT.sub(_decoded, paired)
    return joined.encode("utf-8", "replace").decode()


class Joiner:
    """For a text that comes in pieces: half a character waits for its other half."""

    def __init__(self) -> None:
        self._waiting = ""

    def feed(self, piece: str) -> str:
        text = self._waiting + piece if self._waiting else piece
        self._waiting = ""
        if text.isascii():
            return text
        if tail := _TAIL.search(text):
            text, self._waiting = text[: tail.start()], tail[0]
        return whole(text)

    def rest(self) -> str:
        text, self._waiting = self._waiting, ""
        return whole(text)


def _decoded(found: re.Match[str]) -> str:
    return found[0].encode("utf-8", "surrogateescape").decode("utf-8", "replace")
