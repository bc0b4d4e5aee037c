"""Dates, times, numbers and money in a wished format; those in another are marked."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf, Places

_MONTH = (
    r"(?:jan(?:uary)?|feb(?:ruary)?|mar(?:ch)?|apr(?:il)?|may|june?|july?|aug(?:ust)?|sep(?:t(?:ember)?)?|"
    r"oct(?:ober)?|nov(?:ember)?|dec(?:ember)?)"
)
_DAY, _YEAR = r"(?:0?[1-9]|[12]\d|3[01])", r"(?:19|20)\d\d"
_MONTH_NO = r"(?:0?[1-9]|1[0-2])"
DATES: Mapping[str, str] = {
    "2026-11-26": rf"{_YEAR}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])",
    "26 November 2026": rf"{_DAY} (?i:{_MONTH}) {_YEAR}",
    "November 26, 2026": rf"(?i:{_MONTH}) {_DAY}, {_YEAR}",
    "26.11.2026": rf"{_DAY}\.{_MONTH_NO}\.{_YEAR}",
    "26/11/2026": rf"{_DAY}/{_MONTH_NO}/{_YEAR}",
    "11/26/2026": rf"{_MONTH_NO}/{_DAY}/{_YEAR}",
}
_ANY_DATE = re.compile(
    rf"(?<![\w/.-])(?:{'|'.join(DATES.values())}|{_DAY}(?:st|nd|rd|th) (?:of )?(?i:{_MONTH})(?:,? {_YEAR})?"
    rf"|(?i:{_MONTH}) {_DAY}(?:st|nd|rd|th)?(?:,? {_YEAR})?|\d{{1,2}}[./-]\d{{1,2}}[./-]\d{{2,4}}"
    rf"|{_DAY} (?i:{_MONTH})\b)(?![\w/]|[.-]\d)"
)
TIMES: Mapping[str, str] = {
    "18:45": r"(?:[01]\d|2[0-3]):[0-5]\d",
    "6:45 p.m.": r"(?:0?[1-9]|1[0-2])(?::[0-5]\d)? (?:a\.m\.|p\.m\.)",
    "6:45 pm": r"(?:0?[1-9]|1[0-2])(?::[0-5]\d)? ?(?:am|pm|AM|PM)\b",
}
_ANY_TIME = re.compile(
    rf"(?<![\w:.,])(?:{TIMES['6:45 p.m.']}|\d{{1,2}}(?:[:.][0-5]\d)? ?(?i:a\.?m\.?|p\.?m\.?)(?!\w)"
    r"|(?:[01]?\d|2[0-4]):[0-5]\d(?::[0-5]\d)?(?! ?(?i:[ap]\.?m)))(?![\d:])"
)
_SHORT_TIME = re.compile(r"\d:\d\d")
_AT = re.compile(
    r"(?:\b(?:at|by|from|until|till|to|before|after|around|about|since|and|or|is|at about)|[-–,(:])\s*$",
    re.I,
)
"""What tells 9:30 from a score or a verse."""
_SIGN = r"[€$£¥]"
_CODE = r"(?:EUR|USD|GBP|CHF|JPY|SEK|NOK|DKK|PLN|CAD|AUD)"
_POINT = r"\d{1,3}(?:,\d{3})+(?:\.\d{2})?|\d+(?:\.\d{2})?"
_COMMA = r"\d{1,3}(?:\.\d{3})+(?:,\d{2})?|\d+(?:,\d{2})?"
MONEY: Mapping[str, str] = {
    "€12.50": rf"{_SIGN}(?:{_POINT})",
    "12.50 €": rf"(?:{_POINT})[ \u00a0]{_SIGN}",
    "12,50 €": rf"(?:{_COMMA})[ \u00a0]{_SIGN}",
    "EUR 12.50": rf"{_CODE}[ \u00a0](?:{_POINT})",
    "12.50 EUR": rf"(?:{_POINT})[ \u00a0]{_CODE}",
    "12.50 euros": r"(?:\d{1,3}(?:,\d{3})+(?:\.\d{2})?|\d+(?:\.\d{2})?) (?:euros?|dollars?|pounds?|cents?)",
}
_AMOUNT = r"\d(?:[\d.,]*\d)?"
_ANY_MONEY = re.compile(
    rf"{_SIGN}[ \u00a0]?{_AMOUNT}|(?<![\w.,]){_AMOUNT}[ \u00a0]?(?:{_SIGN}|{_CODE}\b)|\b{_CODE}[ \u00a0]?{_AMOUNT}"
    rf"|(?<![\w.,]){_AMOUNT} (?i:euros?|dollars?|pounds?|cents?)\b"
)
NUMBERS: Mapping[str, str] = {
    "1,234.5": r"\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d{1,3}(?:\.\d+)?",
    "1.234,5": r"\d{1,3}(?:\.\d{3})+(?:,\d+)?|\d{1,3}(?:,\d+)?",
    "1 234.5": r"\d{1,3}(?:[ \u00a0\u202f]\d{3})+(?:\.\d+)?|\d{1,3}(?:\.\d+)?",
    "1234.5": r"\d+(?:\.\d+)?",
}
_ANY_NUMBER = re.compile(
    r"(?<![\w.,:/#-])\d+(?:[.,]\d+|[ \u00a0\u202f]\d{3}(?!\d))*(?![\w:/-]|[.,]\d)"
)
_DIGIT = re.compile(r"[0-9]")
_NO_NUMBER = re.compile(
    r"(?i:\b(?:room|order|no|nr|number|page|line|version|code|year|in|since|of|from|to|until)\.? )$"
)

Dates = Literal[
    "any",
    "2026-11-26",
    "26 November 2026",
    "November 26, 2026",
    "26.11.2026",
    "26/11/2026",
    "11/26/2026",
]
Times = Literal["any", "18:45", "6:45 p.m.", "6:45 pm"]
Money = Literal["any", "€12.50", "12.50 €", "12,50 €", "EUR 12.50", "12.50 EUR", "12.50 euros"]
Numbers = Literal["any", "1,234.5", "1.234,5", "1 234.5", "1234.5"]


class FormatOptions(Options):
    dates: Dates = Field("2026-11-26", title="Dates", description="“any” does not look at them.")
    times: Times = Field("18:45", title="Times")
    money: Money = Field("any", title="Money")
    numbers: Numbers = Field("any", title="Other numbers", description="A bare year is none.")


class Formats(FreeOf):
    key = "structure.formats"
    version = 1
    kind = "structure"
    summary = "Dates, times, money and numbers are written the same way everywhere: in the formats that you choose."
    also_called = (
        "date format",
        "number format",
        "currency",
        "decimal",
        "thousands",
        "iso",
        "24-hour",
    )
    aspects = (Aspect("", "dates and numbers in the wished format"),)
    nothing = "All are in the wished format."
    Options: ClassVar[type[Options]] = FormatOptions
    good: ClassVar = (
        "It leaves on 2026-11-26 at 18:45.",
        "In May 2026 we open.",
        "They won 3:16, at a ratio of 16:9.",
        "It costs 12.50 euros.",
        "Room 4, order 4711223344",
        "Between 3 and 4 boats a day",
        "",
        Example("On 26 November 2026.", {"dates": "26 November 2026"}),
        Example("It costs €1,250.00.", {"money": "€12.50"}),
        Example("Es kostet 1.250,00 €.", {"money": "12,50 €"}),
        Example("At 6:45 p.m.", {"times": "6:45 p.m."}),
        Example("1,234,567 people and 3.5 boats", {"numbers": "1,234.5"}),
        Example("Since 1998, 2,000 boats", {"numbers": "1,234.5"}),
        Example("At 9am or 18:45", {"times": "any"}),
    )
    bad: ClassVar = (
        "It leaves on 26 November.",
        "It leaves on 26/11/2026.",
        "On November 26th, 2026",
        "At 6:45 pm",
        "We open at 9:30.",
        Example("On 2026-11-26", {"dates": "26 November 2026"}),
        Example("It costs 12.50 €.", {"money": "€12.50"}),
        Example("It costs $ 12.", {"money": "€12.50"}),
        Example("EUR 1.250,00", {"money": "EUR 12.50"}),
        Example("1.234.567 people", {"numbers": "1,234.5"}),
        Example("12 000 people", {"numbers": "1,234.5"}),
        Example("23456 people", {"numbers": "1,234.5"}),
    )

    def __init__(self, options: FormatOptions, reply: Any) -> None:
        super().__init__(options, reply)
        wanted = (
            ("a date", _ANY_DATE, DATES, options.dates),
            ("a time", _ANY_TIME, TIMES, options.times),
            ("an amount", _ANY_MONEY, MONEY, options.money),
        )
        self._looked_for = [
            (what, pattern, re.compile(formats[name]) if name != "any" else None, name)
            for what, pattern, formats, name in wanted
        ]
        number = options.numbers
        self._number = re.compile(NUMBERS[number]) if number != "any" else None

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        kinds = (
            ("dates", options.dates), ("times", options.times), ("money", options.money), ("numbers", options.numbers)
        )  # fmt: skip
        told = [f"{kind} as {name}" for kind, name in kinds if name != "any"]
        return "; ".join(told)[:120] or "dates and numbers in any format"

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        spans: list[Span] = []
        if not _DIGIT.search(text):
            return spans
        taken = Places()
        for what, pattern, right, name in self._looked_for:
            for match in pattern.finditer(text):
                start, end = match.span()
                short = _SHORT_TIME.fullmatch(match[0])
                if taken.meets(start, end) or (
                    short and not _AT.search(text[max(0, start - 12) : start])
                ):
                    continue
                taken.add(start, end)
                if right is not None and not right.fullmatch(match[0]):
                    spans.append(Span(start, end, f"{what} that is not as {name}"))
        if self._number is not None:
            for match in _ANY_NUMBER.finditer(text):
                start, end = match.span()
                bare = match[0]
                if taken.meets(start, end) or self._number.fullmatch(bare):
                    continue
                year = len(bare) == 4 and bare[:2] in ("19", "20")
                if year or _NO_NUMBER.search(text[max(0, start - 12) : start]):
                    continue
                spans.append(Span(start, end, f"a number that is not as {self.options.numbers}"))
        return sorted(spans, key=lambda span: span.start)
