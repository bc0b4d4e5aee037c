"""Comparisons and tests, as a template may use them: each pays for what it reads."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from jinja2 import Undefined

from epistem.core.templates.budget import Budget
from epistem.core.templates.undefined import fail_if_undefined
from epistem.core.templates.values import listed_items

Call = Callable[..., Any]


def is_number(value: Any) -> bool:
    return isinstance(value, int | float)


def equal(budget: Budget, one: Any, other: Any) -> bool:
    """`==`, which pays for every item and text that it reads."""
    budget.step(2)
    fail_if_undefined(one, other)
    if isinstance(one, str) and isinstance(other, str):
        budget.step(min(len(one), len(other)) // 64)
        return one == other
    if isinstance(one, list | tuple) and isinstance(other, list | tuple):
        same = isinstance(one, list) == isinstance(other, list) and len(one) == len(other)
        return same and all(equal(budget, a, b) for a, b in zip(one, other, strict=True))
    if isinstance(one, Mapping) and isinstance(other, Mapping):
        return len(one) == len(other) and all(
            key in other and equal(budget, value, other[key]) for key, value in one.items()
        )
    return bool(one == other)


def key_of(budget: Budget, value: Any, case_sensitive: bool) -> Any:
    """What a value is sorted and grouped by: itself, text in lower case unless told otherwise."""
    fail_if_undefined(value)
    if isinstance(value, list | tuple):
        return tuple(key_of(budget, each, case_sensitive) for each in value)
    if isinstance(value, Mapping):
        raise TypeError("records have no order; name a field by attribute=")
    budget.look_at(value)
    return value.lower() if isinstance(value, str) and not case_sensitive else value


def _compare(word: str) -> Call:
    def compared(budget: Budget, value: Any, other: Any) -> bool:
        return bool(ordered(budget, word, value, other))

    return compared


def ordered(budget: Budget, word: str, left: Any, right: Any) -> bool:
    """One of Jinja2's comparisons, by its name."""
    if word in ("eq", "ne"):
        return equal(budget, left, right) == (word == "eq")
    if word in ("in", "notin"):
        return contains(budget, right, left) == (word == "in")
    fail_if_undefined(left, right)
    budget.look_at(left)
    budget.look_at(right)
    return bool(_ORDERS[word](left, right))


_ORDERS: dict[str, Callable[[Any, Any], bool]] = {
    "gt": lambda a, b: a > b,
    "gteq": lambda a, b: a >= b,
    "lt": lambda a, b: a < b,
    "lteq": lambda a, b: a <= b,
}


def contains(budget: Budget, whole: Any, part: Any) -> bool:
    if isinstance(whole, str):
        budget.look_at(whole)
        if not isinstance(part, str):
            raise TypeError("only text can stand in a text")
        return part in whole
    if isinstance(whole, Mapping):
        return isinstance(part, str | int | float) and part in whole
    return any(equal(budget, part, each) for each in listed_items(budget, whole))


def _test(holds: Callable[..., Any]) -> Call:
    return lambda budget, value, *more: bool(holds(value, *more))


TESTS: dict[str, Call] = {
    "boolean": _test(lambda v: isinstance(v, bool)),
    "defined": _test(lambda v: not isinstance(v, Undefined)),
    "divisibleby": _test(lambda v, by: v % by == 0),
    "escaped": _test(lambda v: False),
    "even": _test(lambda v: v % 2 == 0),
    "false": _test(lambda v: v is False),
    "float": _test(lambda v: isinstance(v, float)),
    "in": lambda budget, value, whole: contains(budget, whole, value),
    "integer": _test(lambda v: isinstance(v, int) and not isinstance(v, bool)),
    "iterable": _test(lambda v: isinstance(v, str | list | tuple | range | Mapping)),
    "lower": _test(lambda v: str(v).islower()),
    "mapping": _test(lambda v: isinstance(v, Mapping)),
    "none": _test(lambda v: v is None),
    "number": _test(is_number),
    "odd": _test(lambda v: v % 2 == 1),
    "sameas": _test(lambda v, other: v is other),
    "sequence": _test(lambda v: isinstance(v, str | list | tuple | range | Mapping)),
    "string": _test(lambda v: isinstance(v, str)),
    "true": _test(lambda v: v is True),
    "undefined": _test(lambda v: isinstance(v, Undefined)),
    "upper": _test(lambda v: str(v).isupper()),
    **{name: _compare(word) for word, names in {
        "eq": ("eq", "equalto", "=="), "ne": ("ne", "!="), "lt": ("lt", "lessthan", "<"),
        "lteq": ("le", "<="), "gt": ("gt", "greaterthan", ">"), "gteq": ("ge", ">="),
    }.items() for name in names},
}  # fmt: skip
