"""What a tool is: what the model is shown of it, what it does, and what it answers where nothing is reached."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from epistem.core.prompts.looking_up import LookingUp
from epistem.core.shapes import Document, said

Method = Literal["GET", "POST", "PUT", "PATCH", "DELETE"]
InTrials = Literal["recorded", "live", "first_live"]
MOST_TOLD = 20_000
"""Bytes of an answer that the model is told unless the tool says otherwise."""


class ToolAnswer(Document):
    """What a tool answers to a call that has these arguments (and maybe others)."""

    arguments: dict[str, Any] = Field(default_factory=dict)
    answer: str = Field("", max_length=100_000)


class ToolTold(ToolAnswer):
    """The same of the tool with this name, for one case."""

    tool: str = Field(max_length=64)


class ToolHeader(Document):
    """A header of a request: a value as it is, or the reference of a key."""

    name: str = Field(max_length=100)
    value: str = said("", max_length=2_000)
    key: str = said("", max_length=120, description="Reference of a key that is sent as its value.")


class HttpWork(Document):
    """It asks an address. Of its template, places in braces are filled in with the arguments: `{pier}` in the
    path, `{?day}` as a query."""

    kind: Literal["http"]
    method: Method = "GET"
    address: str = Field("", max_length=2_000)
    headers: list[ToolHeader] = said(max_length=20)
    signed_with: str = said(
        "", max_length=120, description="Reference of the key that signs what is sent (RFC 9421)."
    )
    sends: Literal["nothing", "arguments"] = said(
        "nothing", description="The body: the arguments that the address does not take, as JSON."
    )
    shows: list[str] = said(
        max_length=20, description="JSON pointers to what of the reply is shown; all without one."
    )
    most_bytes: int = said(MOST_TOLD, ge=100, le=200_000)
    seconds: float = said(10.0, gt=0, le=60)


class SqlWork(Document):
    """It reads a source. Without a statement of its own the model writes one; with one, its `:names` are filled in
    with the arguments."""

    kind: Literal["sql"]
    source: str = Field("", max_length=63)
    statement: str = said("", max_length=20_000)
    rows: int = said(50, ge=1, le=1_000)
    most_bytes: int = said(MOST_TOLD, ge=100, le=200_000)
    seconds: float = said(5.0, gt=0, le=60)


class ClockWork(Document):
    """It tells the date and the time."""

    kind: Literal["clock"]
    zone: str = said("UTC", max_length=60)
    fixed: str = said(
        "",
        max_length=40,
        description="The moment that it is in every trial; without one, when the trial was made.",
    )


class ArithmeticWork(Document):
    """It works out an expression in CEL."""

    kind: Literal["arithmetic"]


class LookUpWork(Document):
    """It looks passages up by the question that the model asks."""

    kind: Literal["look_up"]
    looking: LookingUp


class CodeWork(Document):
    """It calls what is installed under this name as an entry point of the group `epistem.tools`."""

    kind: Literal["code"]
    entry: str = Field("", max_length=200)
    most_bytes: int = said(MOST_TOLD, ge=100, le=200_000)
    seconds: float = said(10.0, gt=0, le=60)


Work = HttpWork | SqlWork | ClockWork | ArithmeticWork | LookUpWork | CodeWork


class Tool(Document):
    """A tool that the model may call. `parameters` is a schema, or text that is none yet; without one they are
    those of what it does. One that is `kept` has a version of its own, by name and number, and is as that says.
    """

    name: str = Field(max_length=64)
    kept: str = said("", max_length=80, description="The version that it is, as in timetable@3.")
    description: str = said("", max_length=4_000)
    parameters: dict[str, Any] | str | None = said(None)
    does: Work | None = said(
        None, discriminator="kind", description="Without it, it gives the answers below."
    )
    changes: bool = said(
        False,
        description="Whether it changes something outside: never in a trial, in a try once allowed.",
    )
    in_trials: InTrials = said("recorded")
    answer: str = said(
        "", max_length=100_000, description="What it answers where nothing is reached."
    )
    by_example: list[ToolAnswer] = said(max_length=100)


class ToolChoice(Document):
    """Whether the model has to call a tool, and how often it may. `this` is the name of the one it must call."""

    choice: Literal["auto", "must", "this", "none"] = said("auto")
    this: str = said("", max_length=64)
    several: bool = said(True, description="Whether it may call several at once.")
    rounds: int = said(8, ge=1, le=20, description="Then it has to answer without.")


AS_USUAL = ToolChoice()


def may_change(tool: Tool) -> bool:
    """Whether a call of it may change something outside: as it says, or by the method that it asks with, whatever it
    says. Who calls it by hand is asked first."""
    does = tool.does
    return does is not None and (
        tool.changes or (isinstance(does, HttpWork) and does.method != "GET")
    )
