"""How long the answer is."""

import re

from epistem.standin.directives import asks, register
from epistem.standin.request import sentences

NUMBERS = {
    "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9,
    "ten": 10, "a single": 1, "twelve": 12, "fifteen": 15, "twenty": 20, "thirty": 30, "forty": 40,
    "fifty": 50, "sixty": 60, "eighty": 80, "a hundred": 100,
}  # fmt: skip


def _number(match: re.Match[str]) -> int | None:
    text = match[1].lower()
    return (int(text) if text.isdigit() else NUMBERS[text]) or None


def _most(match: re.Match[str]) -> int | None:
    """Of "two to four" the four."""
    above = re.search(r"(?: to | or |-)\s?(\w+)", match[0], re.I)
    word = above[1].lower() if above else ""
    return int(word) if word.isdigit() else NUMBERS.get(word) or _number(match)


def word_count(text: str) -> int:
    return len(re.findall(r"\w[\w'’:.-]*", text))


register(
    "max_words", asks("max_words", _number), kept=lambda text, limit: word_count(text) <= limit
)
register(
    "sentences",
    asks("sentences", _most),
    kept=lambda text, limit: len(sentences(text)) <= limit,
)
register(
    "short",
    asks("short"),
    kept=lambda text, value: word_count(text) <= 30,
    against=("long",),
    ease=-0.8,
)
register(
    "long",
    asks("long"),
    kept=lambda text, value: word_count(text) > 45,
    against=("short",),
    ease=-0.8,
)
