"""What comes of a walk: of each step, and of the whole."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any, Literal, NamedTuple

from epistem.core.engine.looking import FoundIn
from epistem.core.errors import EpistemError
from epistem.core.wire.formats import WireFormat

Ended = Literal["done", "halted", "refused", "failed", "cap"]


class Speaker(NamedTuple):
    """A model of the list as a walk knows it: how it is asked, and what a token costs, in cents."""

    name: str
    asked_as: str
    wire: WireFormat
    abilities: Sequence[str] = ()
    input_cents: float = 0.0
    output_cents: float = 0.0


class Exchange(NamedTuple):
    """What was said to the person of a talk, and what they said to it: None for nothing, "" while that is not told."""

    says: str
    heard: str | None


class UsedTool(NamedTuple):
    """A tool that a step called, with the arguments as they were written, and what it answered."""

    name: str
    arguments: str
    answer: str
    fault: str | None


class Begun(NamedTuple):
    """A step that begins, with all that is known before it."""

    at: str
    name: str
    kind: str
    known: Mapping[str, Any] = MappingProxyType({})


class KnownSoFar(NamedTuple):
    """What a step that finds facts out knows by now, as it will be written to the value of that name."""

    at: str
    name: str
    facts: dict[str, Any]


class Stepped(NamedTuple):
    """What one step of a walk was given and wrote. `passed_over`: its condition was not true. `fault` is what went
    wrong in it, "" for nothing."""

    at: str
    name: str
    kind: str
    given: dict[str, Any]
    wrote: dict[str, Any]
    told: str = ""
    calls: int = 0
    input_tokens: int = 0
    output_tokens: int = 0
    cents: float = 0.0
    passed_over: bool = False
    fault: str = ""
    reasoning: str = ""
    halts: Literal["", "halted", "refused"] = ""
    """How the walk ends by it, "" where it goes on."""
    tools: tuple[UsedTool, ...] = ()
    model: str = ""
    found: tuple[FoundIn, ...] = ()
    """What was looked up in it."""
    said: tuple[Exchange, ...] = ()
    """In a talk with a person, in it."""


class Walked(NamedTuple):
    """`why` says how it ended, in words; `outputs` are there where it was done."""

    ended: Ended
    why: str
    outputs: dict[str, Any]
    state: dict[str, Any]
    steps: list[Stepped]
    trouble: EpistemError | None = None
    """What went wrong, where that ended it."""
    talk: tuple[Exchange, ...] = ()
    """All that was said to the person, in turn; the last of it may have been heard by nobody."""
