"""The filters that a template may use. Nothing else can be called.

Each takes the budget first. Who calls them has paid for looking at their arguments; what they make
they pay for themselves, before they make it where it could be long.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from typing import Any

from jinja2 import Undefined
from markupsafe import escape

from epistem.core.templates.budget import ITEM, Budget
from epistem.core.templates.comparing import TESTS, is_number, key_of
from epistem.core.templates.values import Group, NoSuch, attribute, listed_items, plain_text

Call = Callable[..., Any]


def _default(budget: Budget, value: Any, default: Any = "", boolean: bool = False) -> Any:
    empty = isinstance(value, Undefined) or (boolean and not value)
    return default if empty else value


def _text_filter(change: Callable[[str], str]) -> Call:
    return lambda budget, value: budget.text(change(plain_text(budget, value)))


def _replace(budget: Budget, value: Any, old: Any, new: Any, count: Any = None) -> str:
    text, old, new = (plain_text(budget, each) for each in (value, old, new))
    budget.step(len(text) // 16)
    times = text.count(old) if count is None or int(count) < 0 else min(text.count(old), int(count))
    budget.make(len(text) + times * max(0, len(new) - len(old)))
    return text.replace(old, new, times)


def _join(budget: Budget, value: Any, between: Any = "", attribute: Any = None) -> str:
    items = listed_items(budget, value)
    if attribute is not None:
        items = [_at(budget, each, attribute) for each in items]
    texts, link = [plain_text(budget, each) for each in items], plain_text(budget, between)
    budget.make(sum(map(len, texts)) + len(link) * max(0, len(texts) - 1))
    return link.join(texts)


def _tojson(budget: Budget, value: Any, indent: Any = None) -> str:
    if indent is not None and not 0 <= int(indent) <= 8:
        raise ValueError("the indent of tojson can be 0 to 8")
    # Each item stands on a line of its own, indented by how deep it lies.
    budget.make(0 if indent is None else _lines_of(value) * int(indent))
    told = json.dumps(value, ensure_ascii=False, sort_keys=True, indent=indent and int(indent))
    return budget.text(told)


def _lines_of(value: Any, depth: int = 1) -> int:
    inner = value.values() if isinstance(value, Mapping) else value
    if not isinstance(value, Mapping | list | tuple):
        return depth
    return depth + sum(_lines_of(each, depth + 1) for each in inner)


def _indent(
    budget: Budget, value: Any, width: Any = 4, first: bool = False, blank: bool = False
) -> str:
    text = plain_text(budget, value)
    mark = width if isinstance(width, str) else " " * min(max(int(width), 0), 80)
    budget.step(len(text) // 8)
    lines = text.split("\n")
    budget.make(len(text) + (len(mark) + ITEM) * len(lines))
    told = [f"{mark}{line}" if (blank or line) else line for line in lines[1:]]
    return "\n".join([mark + lines[0] if first else lines[0], *told])


def _truncate(
    budget: Budget, value: Any, length: int = 255, killwords: bool = False, end: str = "...",
    leeway: int = 5,
) -> str:  # fmt: skip
    text = plain_text(budget, value)
    if len(text) <= length + leeway:
        return text
    cut = text[: max(0, length - len(end))]
    return budget.text((cut if killwords else cut.rsplit(" ", 1)[0]) + end)


def _round(budget: Budget, value: Any, precision: int = 0, method: str = "common") -> float:
    precision = max(-15, min(int(precision), 15))
    if method == "common":
        return float(round(float(value), precision))
    scale: float = 10.0**precision
    whole = float(value) * scale
    return float((whole // 1 if method == "floor" else -(-whole // 1)) / scale)


def _int(budget: Budget, value: Any, default: int = 0) -> Any:
    try:
        return budget.number(int(value))
    except (TypeError, ValueError, OverflowError):
        try:
            return budget.number(int(float(value)))
        except (TypeError, ValueError, OverflowError):
            return default


def _float(budget: Budget, value: Any, default: float = 0.0) -> float:
    try:
        return float(value)
    except (TypeError, ValueError, OverflowError):
        return default


def _first(budget: Budget, value: Any) -> Any:
    for each in value if isinstance(value, str | Mapping) else listed_items(budget, value):
        return each
    raise NoSuch("there is no first item: the list is empty")


def _last(budget: Budget, value: Any) -> Any:
    items = listed_items(budget, value)
    if not items:
        raise NoSuch("there is no last item: the list is empty")
    return items[-1]


def _reverse(budget: Budget, value: Any) -> Any:
    if isinstance(value, str):
        return budget.text(value[::-1])
    return budget.items(listed_items(budget, value)[::-1])


def _sum(budget: Budget, value: Any, attribute: Any = None, start: Any = 0) -> Any:
    total = start
    for each in listed_items(budget, value):
        each = each if attribute is None else _at(budget, each, attribute)
        if not (is_number(total) and is_number(each)):
            raise TypeError("only numbers can be summed")
        total = budget.number(total + each)
    return total


def _sort(
    budget: Budget, value: Any, reverse: bool = False, case_sensitive: bool = False, attribute: Any = None
) -> list[Any]:  # fmt: skip
    items = listed_items(budget, value)
    budget.step(8 * len(items))
    paths = [None] if attribute is None else str(attribute).split(",")

    def key(item: Any) -> list[Any]:
        picked = [item if path is None else _at(budget, item, path) for path in paths]
        return [key_of(budget, each, case_sensitive) for each in picked]

    return budget.items(sorted(items, key=key, reverse=bool(reverse)))


def _extreme(pick: Callable[..., Any]) -> Call:
    def found(
        budget: Budget, value: Any, case_sensitive: bool = False, attribute: Any = None
    ) -> Any:
        items = listed_items(budget, value)
        if not items:
            raise NoSuch("there is no such item: the list is empty")

        def key(item: Any) -> Any:
            item = item if attribute is None else _at(budget, item, attribute)
            return key_of(budget, item, case_sensitive)

        return pick(items, key=key)

    return found


def _unique(
    budget: Budget, value: Any, case_sensitive: bool = False, attribute: Any = None
) -> list[Any]:
    seen: set[Any] = set()
    kept = []
    for item in listed_items(budget, value):
        key = key_of(
            budget, item if attribute is None else _at(budget, item, attribute), case_sensitive
        )
        if key not in seen:
            seen.add(key)
            kept.append(item)
    return budget.items(kept)


def _groupby(
    budget: Budget, value: Any, attribute: Any, default: Any = None, case_sensitive: bool = False
) -> list[Any]:  # fmt: skip
    groups: dict[Any, tuple[Any, list[Any]]] = {}
    for item in listed_items(budget, value):
        grouper = _at(budget, item, attribute, default)
        key = key_of(budget, grouper, case_sensitive)
        groups.setdefault(key, (grouper, []))[1].append(item)
        budget.make(2 * ITEM)
    ordered = [groups[key] for key in sorted(groups)]
    return [Group(grouper, items) for grouper, items in ordered]


def _dictsort(
    budget: Budget, value: Any, case_sensitive: bool = False, by: str = "key", reverse: bool = False
) -> list[Any]:  # fmt: skip
    place = {"key": 0, "value": 1}.get(by)
    if place is None:
        raise ValueError("dictsort goes by key or by value")
    pairs = _items(budget, value)
    budget.step(8 * len(pairs))
    return sorted(
        pairs, key=lambda pair: key_of(budget, pair[place], case_sensitive), reverse=bool(reverse)
    )


def _items(budget: Budget, value: Any) -> list[Any]:
    if isinstance(value, Undefined):
        return []
    if not isinstance(value, Mapping):
        raise TypeError("only a record has items")
    budget.make(4 * ITEM * len(value))
    return list(value.items())


def _batch(budget: Budget, value: Any, linecount: int, fill_with: Any = None) -> list[Any]:
    items, size = listed_items(budget, value), int(linecount)
    if size < 1:
        raise ValueError("a batch holds one item at least")
    budget.make(2 * ITEM * len(items) + (ITEM * size if fill_with is not None else 0))
    rows = [items[at : at + size] for at in range(0, len(items), size)]
    if fill_with is not None and rows:
        rows[-1] += [fill_with] * (size - len(rows[-1]))
    return rows


def _slice(budget: Budget, value: Any, slices: int, fill_with: Any = None) -> list[Any]:
    items, number = listed_items(budget, value), int(slices)
    if number < 1:
        raise ValueError("there is one slice at least")
    budget.make(2 * ITEM * (len(items) + number))
    each, more = divmod(len(items), number)
    rows, at = [], 0
    for row in range(number):
        size = each + (row < more)
        picked = items[at : at + size]
        at += size
        rows.append(
            [*picked, fill_with] if fill_with is not None and more and row >= more else picked
        )
    return rows


def _at(budget: Budget, item: Any, path: Any, default: Any = None) -> Any:
    """A field of an item by `name`, a number, or a path with dots."""
    budget.step()
    for step in [path] if isinstance(path, int) else str(path).split("."):
        item = attribute(item, int(step) if isinstance(step, str) and step.isdigit() else step)
    if isinstance(item, Undefined) and default is not None:
        return default
    return item


def _map(
    budget: Budget, value: Any, *how: Any, attribute: Any = None, default: Any = None, **more: Any
) -> list[Any]:
    items = listed_items(budget, value)
    if attribute is not None:
        return budget.items([_at(budget, item, attribute, default) for item in items])
    if not how or how[0] not in FILTERS:
        raise TypeError("map takes the name of a filter, or attribute=")
    called = FILTERS[how[0]]
    found = []
    for item in items:
        budget.step(2)
        budget.look_at(item)
        found.append(called(budget, item, *how[1:], **more))
    return budget.items(found)


def _choosing(keep: bool, by_field: bool) -> Call:
    def chosen(budget: Budget, value: Any, *how: Any) -> list[Any]:
        items, rest = listed_items(budget, value), how
        path, rest = (how[0], how[1:]) if by_field else (None, how)
        if rest and rest[0] not in TESTS:
            raise TypeError(f"there is no test “{rest[0]}” here")
        found = []
        for item in items:
            budget.step(2)
            tested = _at(budget, item, path) if by_field else item
            budget.look_at(tested)
            passed = TESTS[rest[0]](budget, tested, *rest[1:]) if rest else bool(tested)
            if bool(passed) == keep:
                found.append(item)
        return budget.items(found)

    return chosen


def _length(budget: Budget, value: Any) -> int:
    if isinstance(value, range | str | list | tuple | Mapping | Undefined):
        return len(value)
    raise TypeError("it has no length")


def _urlencode(budget: Budget, value: Any) -> str:
    text = plain_text(budget, value)
    budget.step(len(text) // 4)
    budget.make(9 * len(text))
    return "".join(chr(byte) if byte in _UNQUOTED else f"%{byte:02X}" for byte in text.encode())


_UNQUOTED = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_.-~/")
_BETWEEN_WORDS = re.compile(r"([-\s({\[<]+)")


def _title(budget: Budget, value: Any) -> str:
    """As Jinja2 has it: every word begins with a capital, also after a hyphen or a bracket."""
    text = plain_text(budget, value)
    budget.step(len(text) // 2)
    words = _BETWEEN_WORDS.split(text)
    return budget.text("".join(word[:1].upper() + word[1:].lower() for word in words))


def _wordcount(budget: Budget, value: Any) -> int:
    text = plain_text(budget, value)
    budget.step(len(text) // 8)
    return len(text.split())


FILTERS: dict[str, Call] = {
    "abs": lambda budget, value: abs(value),
    "batch": _batch,
    "capitalize": _text_filter(str.capitalize),
    "count": _length,
    "d": _default,
    "default": _default,
    "dictsort": _dictsort,
    "e": _text_filter(lambda text: str(escape(text))),
    "escape": _text_filter(lambda text: str(escape(text))),
    "first": _first,
    "float": _float,
    "forceescape": _text_filter(lambda text: str(escape(text))),
    "groupby": _groupby,
    "indent": _indent,
    "int": _int,
    "items": _items,
    "join": _join,
    "last": _last,
    "length": _length,
    "list": lambda budget, value: budget.items(list(listed_items(budget, value))),
    "lower": _text_filter(str.lower),
    "map": _map,
    "max": _extreme(max),
    "min": _extreme(min),
    "reject": _choosing(False, False),
    "rejectattr": _choosing(False, True),
    "replace": _replace,
    "reverse": _reverse,
    "round": _round,
    "safe": lambda budget, value: value,
    "select": _choosing(True, False),
    "selectattr": _choosing(True, True),
    "slice": _slice,
    "sort": _sort,
    "string": plain_text,
    "sum": _sum,
    "title": _title,
    "tojson": _tojson,
    "trim": lambda budget, value, chars=None: budget.text(plain_text(budget, value).strip(chars)),
    "truncate": _truncate,
    "unique": _unique,
    "upper": _text_filter(str.upper),
    "urlencode": _urlencode,
    "wordcount": _wordcount,
}
CHEAP = frozenset(["count", "d", "default", "first", "length", "safe"])
"""Filters that look at no more than the outside of a value."""
