"""Values as templates see them: text, numbers, lists and records, and the methods that these offer."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from jinja2 import Undefined

from epistem.core.templates.budget import ITEM, Budget
from epistem.core.templates.undefined import fail_if_undefined, undefined

TEXT_METHODS = frozenset(
    """capitalize casefold count endswith find index isalnum isalpha isdecimal isdigit islower
    isnumeric isspace istitle isupper join lower lstrip partition removeprefix removesuffix replace
    rfind rindex rpartition rsplit rstrip split splitlines startswith strip swapcase title
    upper""".split()  # noqa: SIM905
)
RECORD_METHODS = frozenset(["get", "items", "keys", "values"])
LIST_METHODS = frozenset(["count", "index"])


class NoSuch(Exception):
    """Something that was asked for is not there: `str()` says what."""


class Group(tuple[Any, list[Any]]):
    """(grouper, list), by place or by name, as `groupby` gives it."""

    __slots__ = ()

    def __new__(cls, grouper: Any, items: list[Any]) -> Group:
        return super().__new__(cls, (grouper, items))

    def offered(self, name: str) -> Any:
        return {"grouper": self[0], "list": self[1]}.get(name, undefined(name, self))


class Method:
    """A method of a value, not called yet."""

    __slots__ = ("name", "owner")

    def __init__(self, owner: Any, name: str) -> None:
        self.owner = owner
        self.name = name

    def __call__(self, budget: Budget, *given: Any, **named: Any) -> Any:
        budget.look_at(self.owner)
        for each in (*given, *named.values()):
            budget.look_at(each)
        owner, name = self.owner, self.name
        if isinstance(owner, str) and name in ("replace", "join"):
            return _METHODS_THAT_GROW[name](budget, owner, *given, **named)
        if isinstance(owner, str) and name in ("split", "rsplit", "splitlines"):
            budget.step(len(owner) // 8)
            budget.make(ITEM * 4 + len(owner) * 2)
        found = getattr(owner, name)(*given, **named)
        if isinstance(found, str):
            return budget.text(found)
        if isinstance(found, list | tuple):
            return budget.items(list(found))
        return budget.items(list(found)) if isinstance(owner, Mapping) and name != "get" else found


def _replaced(budget: Budget, text: str, old: str, new: str, count: int = -1) -> str:
    times = text.count(old) if count < 0 else min(count, text.count(old))
    budget.make(len(text) + times * max(0, len(new) - len(old)))
    return text.replace(old, new, count)


def _joined(budget: Budget, link: str, items: Any) -> str:
    texts = listed_items(budget, items)
    budget.make(sum(len(each) for each in texts) + len(link) * len(texts))
    return link.join(texts)


_METHODS_THAT_GROW: dict[str, Callable[..., str]] = {"replace": _replaced, "join": _joined}


def attribute(value: Any, name: Any) -> Any:
    """`value.name`: a method that is offered, a field, an item; undefined if it is none of them."""
    fail_if_undefined(value)
    if isinstance(name, str):
        if hasattr(type(value), "offered"):
            return value.offered(name)
        if name in _methods_of(value):
            return Method(value, name)
    return item(value, name)


def item(value: Any, name: Any) -> Any:
    """`value[name]`: an item or a field before a method; undefined if it is not there."""
    fail_if_undefined(value, name)
    if isinstance(value, str | list | tuple | range | Mapping):
        try:
            return value[name]
        except (LookupError, TypeError, ValueError):
            pass
    if isinstance(name, str) and name in _methods_of(value):
        return Method(value, name)
    return undefined(str(name), value)


def _methods_of(value: Any) -> frozenset[str]:
    if isinstance(value, str):
        return TEXT_METHODS
    if isinstance(value, Mapping):
        return RECORD_METHODS
    return LIST_METHODS if isinstance(value, list | tuple) else frozenset()


def plain_text(budget: Budget, value: Any) -> str:
    """The value as it is printed. Raises TypeError for what is no value but something to call."""
    if isinstance(value, str):
        return value
    if isinstance(value, list | tuple | Mapping):
        budget.make(2 * budget.look_at(value))
        return budget.text(str(value))
    if isinstance(value, Undefined | bool | int | float | range) or value is None:
        return str(value)
    if hasattr(type(value), "printed"):
        return budget.text(str(value.printed()))
    raise TypeError("something that is to be called, with () after it, was not called")


def listed_items(budget: Budget, value: Any) -> list[Any]:
    """The items of what can be gone through: a list, the names in a record, the letters of a text."""
    fail_if_undefined(value)
    if isinstance(value, list):
        budget.step(len(value) // 16)
        return value
    if isinstance(value, tuple | range | str | Mapping):
        budget.make(ITEM * len(value))
        budget.step(len(value) // 16)
        return list(value)
    raise TypeError(f"{_said(value)} can't be gone through")


def _said(value: Any) -> str:
    kinds = {bool: "a truth value", int: "a number", float: "a number", type(None): "nothing"}
    return kinds.get(type(value), "this")
