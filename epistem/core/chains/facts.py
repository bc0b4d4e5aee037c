"""Facts that a talk finds out: what is told of a field to a model, and its words as a value of its kind."""

from __future__ import annotations

import re
from datetime import date, time
from math import isfinite
from typing import Any

from epistem.core.chains.kinds import CollectedField
from epistem.core.shapes import listed
from epistem.core.words import folded

_NUMBER = re.compile(r"[-+]?\d+(?:[ ,’']\d{3})*(?:[.,]\d+)?")
_YES = frozenset({"yes", "y", "true", "right", "yep", "yeah", "sure", "correct", "ok", "okay"})
_NO = frozenset({"no", "n", "false", "wrong", "nope", "not"})
_TIME = re.compile(r"\b(\d{1,2})(?:[:.h](\d{2}))?\s*(am|pm)?\b", re.I)
_MONTHS = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
    "december",
)  # fmt: skip
_WORDS = {
    "zero": 0, "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9,
    "ten": 10, "eleven": 11, "twelve": 12,
}  # fmt: skip
_KINDS = {
    "text": "a text",
    "number": "a number",
    "whole": "a whole number",
    "yes_no": "yes or no",
    "date": "a date",
    "time": "a time of day",
}
MOST_TEXT = 2_000


def about_field(field: CollectedField) -> str:
    """For the model that takes it down."""
    told = f"one of {listed(field.choices)}" if field.kind == "choice" else _KINDS[field.kind]
    if field.least is not None or field.most is not None:
        least = "" if field.least is None else f" from {field.least:g}"
        most = "" if field.most is None else f" to {field.most:g}"
        told += f",{least}{most}"
    return f"{told}. {field.question}".strip()


def noted_as(value: Any) -> str:
    """As it is read back."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)


def placed_value(field: CollectedField, told: Any) -> Any:
    """What a model took down, as a value of the field's kind and within its range; None where it is none. A date is
    given as YYYY-MM-DD, a time as HH:MM."""
    text = ("yes" if told else "no") if isinstance(told, bool) else str(told).strip()
    if field.kind == "text":
        return text[:MOST_TEXT] or None
    if field.kind == "choice":
        return _choice(field.choices, text)
    if field.kind == "yes_no":
        first = re.findall(r"[a-z]+", text.casefold())[:1]
        return True if first and first[0] in _YES else False if first and first[0] in _NO else None
    if field.kind == "date":
        return _date(text)
    if field.kind == "time":
        return _time(text)
    return _number(field, text)


def _choice(choices: list[str], text: str) -> str | None:
    said = folded(text)
    same = [choice for choice in choices if folded(choice) == said]
    within = [choice for choice in choices if re.search(rf"\b{re.escape(folded(choice))}\b", said)]
    found = same or within
    return found[0] if len(found) == 1 else None


def _number(field: CollectedField, text: str) -> int | float | None:
    found = _NUMBER.findall(text)
    if len(found) != 1:
        words = [_WORDS[word] for word in re.findall(r"[a-z]+", text.casefold()) if word in _WORDS]
        if found or len(words) != 1:
            return None
        value: float = words[0]
    else:
        plain = re.sub(r"[ ’'](?=\d{3})|,(?=\d{3}\b)", "", found[0]).replace(",", ".")
        value = float(plain)
    if not isfinite(value):
        return None
    if field.kind == "whole" and value != int(value):
        return None
    if (field.least is not None and value < field.least) or (
        field.most is not None and value > field.most
    ):
        return None
    return int(value) if value == int(value) else value


def _date(text: str) -> str | None:
    """A day that is told with its year."""
    if found := re.search(r"\b(\d{4})-(\d{1,2})-(\d{1,2})\b", text):
        return _day(int(found[1]), int(found[2]), int(found[3]))
    if found := re.search(r"\b(\d{1,2})\.?\s+([A-Za-z]{3,9})\.?,?\s+(\d{4})\b", text):
        return _day(int(found[3]), _month(found[2]), int(found[1]))
    if found := re.search(r"\b([A-Za-z]{3,9})\.?\s+(\d{1,2})(?:st|nd|rd|th)?,?\s+(\d{4})\b", text):
        return _day(int(found[3]), _month(found[1]), int(found[2]))
    return None


def _month(word: str) -> int:
    return next(
        (at for at, name in enumerate(_MONTHS, start=1) if name.startswith(word.casefold())), 0
    )


def _day(year: int, month: int, day: int) -> str | None:
    try:
        return date(year, month, day).isoformat()
    except ValueError:
        return None


def _time(text: str) -> str | None:
    found = _TIME.search(text)
    if found is None or (found[2] is None and not found[3] and text.strip() != found[0].strip()):
        return None
    hour = int(found[1])
    if found[3]:
        hour = hour % 12 + (12 if found[3].casefold() == "pm" else 0)
    try:
        return time(hour, int(found[2] or 0)).isoformat("minutes")
    except ValueError:
        return None
