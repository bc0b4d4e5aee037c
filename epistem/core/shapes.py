"""The base of every document that people write: strict, and read from plain JSON."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from epistem.core.errors import InvalidInput


class Document(BaseModel):
    """A JSON object whose unknown fields are refused, so that a misspelt one is noticed."""

    model_config = ConfigDict(extra="forbid", validate_assignment=True)

    @classmethod
    def from_json(cls, value: Any, *, at: str = "") -> Self:
        """Read `value`, or raise InvalidInput naming the first wrong field below `at`."""
        try:
            return cls.model_validate(value)
        except ValidationError as error:
            first = error.errors(include_input=False, include_url=False)[0]
            raise InvalidInput(
                first["msg"].removeprefix("Value error, "), field=field_path(first["loc"], at)
            ) from error

    def to_json(self) -> dict[str, Any]:
        return self.model_dump(mode="json", exclude_none=True)


Tag = Annotated[str, Field(max_length=60)]
"""A word that things are found by."""


def said(default: Any = ..., *, of: type = list, **more: Any) -> Any:
    """A field that is left out of the JSON while it has its default (without one: an empty `of`).

    For fields that came after content was saved without them: its hash stays as it was.
    """
    if default is ...:
        return Field(default_factory=of, exclude_if=lambda value: not value, **more)
    return Field(default, exclude_if=lambda value: value == default, **more)


def field_path(location: Iterable[int | str], at: str = "") -> str:
    """The path of a field as people read it: `messages.0.parts.1.text`."""
    return ".".join([at, *map(str, location)] if at else [str(step) for step in location])


def listed(names: Sequence[str], last: str = "or") -> str:
    """`a, b or c`."""
    names = list(names)
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} {last} {names[-1]}"


def count(number: int, noun: str) -> str:
    """`1 case`, `2,000 cases`."""
    return f"{number:,} {noun}" if number == 1 else f"{number:,} {noun}s"
