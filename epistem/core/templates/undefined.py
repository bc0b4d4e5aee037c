"""What stands in for something that is not there: it fails at any use but `is defined` and `default`."""

from __future__ import annotations

from functools import partial
from typing import Any

from jinja2 import Undefined
from jinja2.exceptions import UndefinedError
from jinja2.utils import missing


class UndefinedInput(UndefinedError):
    """Raised while filling in, with the name that was not given, and the line (from 1)."""

    line: int | None = None

    def __init__(self, name: str | None, message: str | None = None) -> None:
        super().__init__(message)
        self.name = name


class StrictInput(Undefined):
    """Jinja2's StrictUndefined, which also tells the name."""

    __slots__ = ()

    def __init__(
        self, hint: str | None = None, obj: Any = missing, name: str | None = None, exc: Any = None
    ) -> None:
        super().__init__(hint, obj, name, exc=partial(UndefinedInput, name))  # type: ignore[arg-type]

    _fail: Any = Undefined._fail_with_undefined_error
    __iter__ = __str__ = __len__ = _fail
    __eq__ = __ne__ = __bool__ = __hash__ = _fail
    __contains__ = _fail


def undefined(name: str | None = None, obj: Any = missing, hint: str | None = None) -> Undefined:
    return StrictInput(hint, obj, name)


def fail_if_undefined(*values: Any) -> None:
    """Raises UndefinedInput, with the name."""
    for value in values:
        if isinstance(value, Undefined):
            bool(value)
