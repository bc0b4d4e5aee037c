"""What a program may need from the outside. Each need has a path: its place in the program."""

from __future__ import annotations

import json
from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any, NamedTuple, TypeVar

from epistem.core.engine.budget import Charge
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.tools import ToolsAtHand

Result = TypeVar("Result")


class SharedBody:
    """The encoded body of a request without its seed, and the SHA-256 of it.

    Repeats differ in their seed alone, so one body is built, hashed and kept for all of them.
    """

    __slots__ = ("content", "hash")

    def __init__(self, content: bytes) -> None:
        self.content = content
        self.hash = sha256(content).digest()


@dataclass(frozen=True)
class AskModel:
    """Ask a model; a Reply is given, or Refused where the `charge` is more than is left. A `seed` of None is not
    sent. `model` is the name of another one than the program is about, as a judge; "" for that one."""

    path: str
    body: SharedBody
    seed: int | None
    model: str = ""
    charge: Charge | None = None

    @property
    def digest(self) -> bytes:
        """Equal for what asks the same, wherever it stands."""
        return digest_of(self.body.hash, self.seed)


@dataclass(frozen=True)
class UseTool:
    """Call one of the tools `at_hand` with arguments as a model wrote them; a ToolResult is given."""

    path: str
    at_hand: ToolsAtHand
    name: str
    arguments: str

    @property
    def digest(self) -> bytes:
        return self.body.hash

    @property
    def body(self) -> SharedBody:
        """What is called, as it is kept."""
        told = {"tool": self.name, "arguments": self.arguments}
        return SharedBody(json.dumps(told).encode())


class FoundPassage(NamedTuple):
    """`by_words` and `by_meaning` are its places in those rankings, from 1; None where it is in none. `beside`:
    it was not found itself, but stands beside one that was."""

    reference: str
    title: str
    text: str
    score: float
    by_words: int | None = None
    by_meaning: int | None = None
    beside: bool = False


class Found(NamedTuple):
    """The version of the collection that was looked through, and what was found, the best first."""

    version: int
    passages: tuple[FoundPassage, ...]


@dataclass(frozen=True)
class LookUp:
    """Look passages up; a Found is given."""

    path: str
    looking: LookingUp
    question: str

    @property
    def digest(self) -> bytes:
        told = self.looking.model_dump_json()
        return sha256(f"{told}\0{self.question}".encode("utf-8", "replace")).digest()


@dataclass(frozen=True)
class RunQuery:
    """Run a statement on a source, which only reads; Rows are given. May fail with InvalidInput, in words."""

    path: str
    source: str
    statement: str
    most_rows: int
    seconds: float

    @property
    def digest(self) -> bytes:
        told = f"{self.source}\0{self.statement}\0{self.most_rows}\0{self.seconds}"
        return sha256(told.encode("utf-8", "replace")).digest()


class PersonSaid(NamedTuple):
    """What a person says to what is about to happen. `value` is theirs where they `edited` it. `by` is "" where
    nobody said a word in time."""

    word: str
    value: Any = None
    by: str = ""
    note: str = ""


@dataclass(frozen=True)
class AskPerson:
    """Let a person approve, edit (the value `edits`, where it is named) or refuse; a PersonSaid is given, which after
    `hours` is as `then` says."""

    path: str
    name: str
    shows: Mapping[str, Any]
    edits: str
    value: Any
    hours: float
    then: str

    @property
    def digest(self) -> bytes:
        told = json.dumps([self.name, self.shows, self.edits, self.value], default=str)
        return sha256(told.encode("utf-8", "replace")).digest()


@dataclass(frozen=True)
class HearPerson:
    """Say something to the person of a talk; what they say to it is given, None where they say nothing for so many
    `hours`."""

    path: str
    says: str
    hours: float

    @property
    def digest(self) -> bytes:
        return sha256(self.says.encode("utf-8", "replace")).digest()


@dataclass(frozen=True)
class Take:
    """Take something from budgets before it is spent; None is given, or Refused."""

    path: str
    charge: Charge

    @property
    def digest(self) -> bytes:
        return b"take"


@dataclass(frozen=True)
class Note:
    """Something has happened that whoever drives may show; nothing is given."""

    path: str
    what: Any


@dataclass(frozen=True)
class Together:
    """Programs that may be carried out side by side, so many at once; their results are given, in their order.

    Each handles what goes wrong in it; what it raises all the same ends all. One that takes longer than `seconds` is
    given up, and LATE is its result. Once a budget has refused something no more of them are begun: that Refused is
    their result.
    """

    path: str
    programs: Sequence[Program[Any]]
    at_once: int = 16
    seconds: float | None = None

    def late_path(self, number: int) -> str:
        """Where the record says that the program of this number was given up."""
        return f"{self.path}~late{number}"

    @property
    def rest_path(self) -> str:
        """Where the record says which of them were not begun."""
        return f"{self.path}~rest"


class _Late:
    def __repr__(self) -> str:
        return "LATE"


LATE = _Late()
"""The result of a program that took too long."""
LATE_DIGEST, REST_DIGEST = b"late", b"rest"


def digest_of(body_hash: bytes, seed: int | None) -> bytes:
    """Of a request: of its shared body and its seed."""
    return body_hash if seed is None else b"%b/%d" % (body_hash, seed)


Need = AskModel | UseTool | LookUp | RunQuery | AskPerson | HearPerson | Take | Note | Together
Program = Generator[Need, Any, Result]
"""Deterministic: what it yields next depends on its arguments and on what it was sent alone."""
