"""Reading typed values out of a text: dates, times, counts, money, names, colours, addresses, choices."""

from __future__ import annotations

import re
from collections.abc import Mapping
from itertools import takewhile
from typing import Any

from epistem.standin.directives.length import NUMBERS
from epistem.standin.words import likeness, stems

_DAY = "monday|tuesday|wednesday|thursday|friday|saturday|sunday"
_MONTH = (
    "january|february|march|april|may|june|july|august|september|october|november|december|"
    "jan|feb|mar|apr|jun|jul|aug|sep|oct|nov|dec"
)
_DATE = re.compile(
    rf"\b(\d{{4}}-\d\d-\d\d|\d{{1,2}}(?:st|nd|rd|th)?(?: of)? (?:{_MONTH})\b(?: \d{{4}})?"
    rf"|(?:{_MONTH}) \d{{1,2}}(?:st|nd|rd|th)?|\d{{1,2}}[./]\d{{1,2}}(?:[./]\d{{2,4}})?"
    rf"|(?:(?:next|last|this|on) )?(?:{_DAY})|today|tomorrow|yesterday|tonight|this morning)\b",
    re.I,
)
_TIME = re.compile(r"\b(\d{1,2}[:.]\d\d(?: ?[ap]m)?|\d{1,2} ?[ap]m|noon|midnight)\b", re.I)
_NUMBER = re.compile(r"(?<![\d:.-])(\d+(?:\.\d+)?)(?![\d:]|[.]\d)")
_COUNTED = re.compile(rf"\b({'|'.join(NUMBERS)})\b", re.I)
_COLOURS = (
    "black|white|grey|gray|red|orange|yellow|green|blue|purple|pink|brown|silver|gold|beige|navy|"
    "turquoise|cream"
)
_COLOUR = re.compile(rf"\b((?:(?:dark|light|pale|bright) )?(?:{_COLOURS}))\b", re.I)
_MAIL = re.compile(r"\b[\w.+-]+@[\w-]+(?:\.[\w-]+)+\b")
_PHONE = re.compile(r"(?<!\w)(\+?\d[\d ()/-]{5,}\d)(?!\w)")
_PROPER = r"((?:[A-Z][\w'’-]+)(?: [A-Z][\w'’-]+){0,2})"
_NAME = re.compile(
    r"\b(?:[Mm]y name is|[Ii] am|[Ii]'m|[Tt]his is|[Nn]ame:|[Ss]igned,?|[Rr]egards,?|[Cc]all me)\s+"
    + _PROPER
)
_PLACE = re.compile(rf"\b(?:from|to|at|in|near|on|of) {_PROPER}")
_MONEY = re.compile(
    r"(?:[€£$] ?\d+(?:[.,]\d\d)?|\b\d+(?:[.,]\d\d)? ?(?:euros?|pounds?|dollars?|EUR|GBP)\b)"
)
_THING = re.compile(
    r"\b((?:on|in|at|from|to|near|aboard|into|onto|off) )?(?:my|a|an|the|our|his|her|one) "
    r"((?:[a-z][\w'’-]+ ){0,2}[a-z][\w'’-]+)",
    re.I,
)
_VAGUE = re.compile(r"(?:thing|things|something|anything|question|problem|bit|lot|one)\Z", re.I)
_SMALL = re.compile(
    r"(?:on|in|at|from|with|was|is|are|has|had|this|that|i|we|since|yesterday|today|left|when|and|to|"
    r"of|for|by|near|after|before|please|it|will)\Z",
    re.I,
)

_AMOUNT = re.compile(
    r"\b(\d+(?:[.,/]\d+)?(?: ?(?:k?g|mg|m?l|[ck]?m|cups?|tbsp|tsp|hours?|minutes?|days?|weeks?|litres?|"
    r"grams?|slices?|pieces?))?\b|(?:an?|one|two|three) (?:pinch|cup|spoon|bit|handful|few|dozen))",
    re.I,
)
KINDS: dict[str, tuple[str, re.Pattern[str]]] = {
    "mail": (r"e-?mail|mail", _MAIL),
    "phone": (r"phone|telephone|mobile|number to (?:call|ring)", _PHONE),
    "contact": (r"contact|reach", re.compile(f"{_MAIL.pattern}|{_PHONE.pattern}")),
    "time": (r"\btime|hour|\bat\b|o'clock|sailing|departure|session|slot", _TIME),
    "date": (r"date|day|when|deadline|due|birthday", _DATE),
    "colour": (r"colou?r", _COLOUR),
    "money": (r"price|cost|fare|budget|\bsum\b|money|paid", _MONEY),
    "amount": (r"amount|quantity|how much|weight|volume", _AMOUNT),
    "name": (r"name|who|person|customer|guest|sender|author", _NAME),
    "place": (
        r"place|where|pier|station|stop\b|port|town|city|country|room|address|location|from|to\b|"
        r"destination|origin|branch",
        _PLACE,
    ),
}


def kind_of(name: str, rule: Mapping[str, Any]) -> str:
    """What sort of value a field of this name (and description) takes; "" for free text."""
    given = str(rule.get("format", ""))
    if given in ("date", "time", "email"):
        return {"email": "mail"}.get(given, given)
    about = f"{name} {rule.get('description', '')}".lower().replace("_", " ")
    if re.search(r"how many|number of|count|quantity|\bparty\b|\bpeople\b|guests\b|seats", about):
        return "count"
    return next((kind for kind, (words, _) in KINDS.items() if re.search(words, about)), "")


def find(name: str, text: str, rule: Mapping[str, Any] | None = None) -> Any:
    """The value that a text gives a field, or None. Numbers come as numbers where the rule wants them."""
    rule = rule or {}
    if choices := rule.get("enum"):
        near = [(likeness(text, str(choice)), str(choice)) for choice in choices]
        best = max(near, default=(0.0, ""))
        return best[1] if best[0] > 0.05 else None
    kind = kind_of(name, rule)
    if rule.get("type") in ("integer", "number") or kind == "count":
        plain = rule.get("type", "string") == "string"
        return number_in(text, name, whole=rule.get("type") != "number", plain=plain)
    if rule.get("type") == "boolean":
        return None
    if kind:
        match = KINDS[kind][1].search(text)
        return (match[1] if match.lastindex and match[1] else match[0]).strip() if match else None
    return thing_in(text, name)


def every(name: str, text: str, rule: Mapping[str, Any]) -> list[Any]:
    """All the values of a field's kind that the text has, in order."""
    kind = kind_of(name, rule)
    if choices := rule.get("enum"):
        return [c for c in choices if re.search(rf"\b{re.escape(str(c))}\b", text, re.I)]
    if not kind or kind == "count":
        value = find(name, text, rule)
        return [] if value is None else [value]
    found = [m[1] if m.lastindex and m[1] else m[0] for m in KINDS[kind][1].finditer(text)]
    if kind == "place":  # “in A and B”: the second has no preposition of its own
        found += re.findall(r"\b(?:and|or|,) ([A-Z][\w'’-]+(?: [A-Z][\w'’-]+){0,2})", text)
    return list(dict.fromkeys(found))


def number_in(text: str, name: str, *, whole: bool, plain: bool = False) -> Any:
    """The number nearest to the field's own words, else the first that is not part of a time or date."""
    bare = _DATE.sub(" ", _TIME.sub(" ", text))
    found = [(m.start(), float(m[1])) for m in _NUMBER.finditer(bare)]
    found += [(m.start(), float(NUMBERS[m[1].lower()])) for m in _COUNTED.finditer(bare)]
    if not found:
        return None
    anchors = [
        m.start()
        for stem in stems(name.replace("_", " "))
        for m in re.finditer(re.escape(stem), bare, re.I)
    ]
    near = min(found, key=lambda f: min((abs(f[0] - a) for a in anchors), default=f[0]))
    value = int(near[1]) if whole or near[1].is_integer() else near[1]
    return str(value) if plain else value


def thing_in(text: str, name: str) -> str | None:
    """A noun group: of those after "my", "a", "the" the first that ends before a small word."""
    if re.search(
        r"item|thing|object|what|product|article|device|dish|animal|subject|title|topic",
        name,
        re.I,
    ):
        for match in _THING.finditer(text):
            kept = None if match[1] else until_small(match[2])  # in a place is no thing
            if kept and not _VAGUE.match(kept):
                return kept
    if re.search(r"problem|issue|matter|complaint|symptom|fault", name, re.I):
        trouble = re.search(
            r"\b(?:has|have|had|got|with|is|it's) (?:an? )?((?:[a-z][\w-]+ ?){1,3})", text
        )
        return until_small(trouble[1]) if trouble else None
    told = re.search(
        rf"\b{re.escape(name.replace('_', ' '))}\b(?: is|:| was)?\s+([\w'’-]+(?: [\w'’-]+)?)",
        text,
        re.I,
    )
    named = told or re.search(r"(?<=[a-z,] )([A-Z][\w'’-]+(?: [A-Z][\w'’-]+)*)", text)
    return named[1] if named else None


def rest_of(text: str) -> str:
    """What a part of a list names, without its amount."""
    return " ".join(re.sub(r"^\s*of\b", "", _AMOUNT.sub("", text)).split())


def until_small(words: str) -> str | None:
    """The words up to the first one that begins something else."""
    kept = list(takewhile(lambda word: not _SMALL.match(word), words.split()))
    return " ".join(kept) or None
