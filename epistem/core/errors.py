"""The errors that the core raises for what people give it.

EpistemError
├── InvalidInput        a value can't be used; `field` says which
│   ├── TemplateError   a part does not parse or fails while rendering
│   │   ├── MissingInput    a part asks for an input that was not given
│   │   └── TooCostly       filling in the prompt takes more than its budget
│   ├── InvalidSchema   a reply schema that is not a JSON Schema
│   └── InvalidFile     a file that is not what it should be, with the line
├── NotFound            nothing has that name or number
├── Conflict            it is in the wrong state
│   └── Stale           somebody changed it first
└── WireError           a model server's reply can't be read
"""

from __future__ import annotations


def _whole(text: str) -> str:
    """What a message repeats may be half a character, which nothing can be told of."""
    return text if text.isascii() else text.encode("utf-8", "replace").decode()


class EpistemError(Exception):
    """A problem to tell a person: `message` says what to do, `field` where (or is None)."""

    def __init__(self, message: str, *, field: str | None = None) -> None:
        message = _whole(message)
        super().__init__(message)
        self.message = message
        self.field = field and _whole(field)


class InvalidInput(EpistemError):
    pass


class TemplateError(InvalidInput):
    """`part` is the part's name; `line` counts from 1 inside that part, or is None."""

    def __init__(
        self, message: str, *, part: str, line: int | None = None, field: str | None = None
    ) -> None:
        super().__init__(message, field=field)
        self.part = part
        self.line = line


class MissingInput(TemplateError):
    """`name` is the input that was asked for."""

    def __init__(
        self,
        message: str,
        *,
        name: str,
        part: str,
        line: int | None = None,
        field: str | None = None,
    ) -> None:
        super().__init__(message, part=part, line=line, field=field)
        self.name = name


class TooCostly(TemplateError):
    pass


class InvalidSchema(InvalidInput):
    pass


class InvalidFile(InvalidInput):
    """`line` counts from 1, or is None where it is about the file as a whole."""

    def __init__(self, message: str, *, line: int | None, field: str | None = None) -> None:
        super().__init__(message if line is None else f"Line {line}: {message}", field=field)
        self.line = line


class NotFound(EpistemError):
    pass


class Conflict(EpistemError):
    pass


class Stale(Conflict):
    """`what` was changed by somebody else since it was read; nothing was overwritten."""

    def __init__(self, what: str) -> None:
        super().__init__(
            f"{what} was changed elsewhere since you opened it. Nothing was overwritten: open it again "
            "to see how it is now.",
            field="If-Match",
        )


class WireError(EpistemError):
    pass
