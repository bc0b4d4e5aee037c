"""Text out of bytes, in the encoding that it is told or that is found."""

from __future__ import annotations

import codecs
from typing import NamedTuple

from epistem.core.errors import InvalidInput

OFFERED = (
    "utf-8", "utf-16", "windows-1252", "iso-8859-15", "windows-1250", "windows-1251", "windows-1253",
    "windows-1254", "iso-8859-2", "shift_jis", "euc-jp", "euc-kr", "gb18030", "big5", "mac-roman",
)  # fmt: skip
_BOMS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_LOOKED_AT = 4_000
_TOO_ODD = 0.1


class Decoded(NamedTuple):
    """`guessed`: nothing in the bytes says so; the letters want a look."""

    text: str
    encoding: str
    guessed: bool


def decoded(content: bytes, encoding: str = "") -> Decoded:
    """Raises InvalidInput for an encoding that is not known or does not fit, and for what is no text."""
    if encoding:
        return Decoded(_as_told(content, encoding), encoding, False)
    for mark, name in _BOMS:
        if content.startswith(mark):
            return Decoded(_as_told(content, name), name.removesuffix("-sig"), False)
    start = content[:_LOOKED_AT]
    even, odd = start[::2].count(0), start[1::2].count(0)
    if min(even, odd) == 0 and max(even, odd) > len(start) // 4:  # Latin letters in UTF-16
        name = "utf-16-be" if even else "utf-16-le"
        return Decoded(_as_told(content, name), name, True)
    try:
        text = content.decode("utf-8")
    except UnicodeDecodeError:
        text = None
    if 0 in start and (text is None or _odd_share(start) > _TOO_ODD):
        raise InvalidInput("This is not a text file.", field="file")
    if text is not None:
        return Decoded(text, "utf-8", False)
    return Decoded(content.decode("windows-1252", errors="replace"), "windows-1252", True)


def _odd_share(start: bytes) -> float:
    """Of bytes that stand for no letter, mark or white space."""
    return sum(byte < 32 and byte not in b"\t\n\r\f" for byte in start) / len(start)


def _as_told(content: bytes, encoding: str) -> str:
    try:
        name = codecs.lookup(encoding).name
        if name == "utf-8":
            name = "utf-8-sig"
        return content.decode(name)
    except LookupError as error:
        raise InvalidInput(
            f"There is no encoding “{encoding[:40]}”. Usual ones are utf-8 and windows-1252.",
            field="encoding",
        ) from error
    except UnicodeError as error:
        at = getattr(error, "start", 0)
        line = content.count(b"\n", 0, at) + 1
        raise InvalidInput(
            f"The file is not in {encoding}: line {line:,} can't be read so. Choose another encoding.",
            field="encoding",
        ) from error
