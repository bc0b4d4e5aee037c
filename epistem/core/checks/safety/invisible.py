"""No characters that are not seen: zero-width ones, turns of direction, controls."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable
from typing import ClassVar

from epistem.core.checks.base import Aspect, Ground, Span
from epistem.core.checks.shapes import FreeOf

_DIRECTION = frozenset("\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069\u061c")
_JOINERS = frozenset("\u200c\u200d")
_WHITE = frozenset("\t\n\r\u000b\u000c")
_SOFT = "\u00ad"


class NothingInvisible(FreeOf):
    key = "safety.invisible"
    version = 1
    kind = "safety"
    summary = (
        "No hidden characters: zero-width, turns of direction, tags, controls. Joiners in emoji and scripts are "
        "let through."
    )
    also_called = ("hidden", "zero width", "unicode", "bidirectional", "control character")
    aspects = (Aspect("", "no hidden characters"),)
    repairs = True
    nothing = "Nothing is hidden in it."
    good: ClassVar = (
        "The boat is late.",
        "One\nTwo\tThree\r\nFour",
        "A family: 👨\u200d👩\u200d👧",
        "naïve café – “quoted”…",
        "می\u200cخواهم",
        "क्\u200dष",
        "a\u00a0b",
        "❤\ufe0f",
        "",
        "こんにちは",
    )
    bad: ClassVar = (
        "The bo\u200bat is late.",
        "\ufeffHello",
        "abc\u202edcba",
        "\u2066late\u2069",
        "nul\x00",
        "bell\x07",
        "hid\U000e0041\U000e0042den",
        "a\u2060b",
        "pass\u00adword",
        "a\u200db",
    )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        if text.isascii() and text.isprintable():
            return
        for at, char in enumerate(text):
            if note := _hidden(text, at, char):
                yield Span(at, at + 1, note)


def _hidden(text: str, at: int, char: str) -> str:
    if " " <= char <= "~" or char in _WHITE:
        return ""
    name = f"U+{ord(char):04X}"
    if char in _DIRECTION:
        return f"{name} turns the direction"
    if char in _JOINERS:
        around = (text[at - 1 : at], text[at + 1 : at + 2])
        plain = all(not each or each.isascii() for each in around)
        return f"{name} is not seen" if plain else ""
    category = unicodedata.category(char)
    if category == "Cc":
        return f"{name} is a control character"
    if category == "Cf" or 0xE0000 <= ord(char) <= 0xE0FFF:
        return f"{name} is not seen"
    if category in ("Cs", "Co", "Cn") and not ord(char) >= 0xF0000:
        return f"{name} is no character" if category != "Cn" else ""
    return ""
