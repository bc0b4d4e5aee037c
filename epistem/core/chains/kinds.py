"""The kinds of steps that hold no others, and what all kinds have."""

from __future__ import annotations

from typing import Annotated, Any, Literal, TypeAlias

from pydantic import Field, model_validator

from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.tool import Tool
from epistem.core.shapes import Document, said

MOST_VOTES, MOST_FIELDS = 25, 40
_BY_REFERENCE: dict[str, dict[str, Any]] = {
    "prompt": {},
    "chain": {"kind": "chain", "steps": [{"kind": "set", "name": "to be filled in", "writes": {}}]},
}
Expression: TypeAlias = Annotated[str, Field(max_length=2_000)]
Name: TypeAlias = Annotated[str, Field(max_length=80)]
Reference: TypeAlias = Annotated[str, Field(max_length=80)]


def left_out(of: type[Document]) -> Any:
    """A field that is left out of the JSON while it is as it begins."""
    return Field(default_factory=of, exclude_if=lambda value: value == of())


def with_references(told: Any) -> Any:
    """As it was written, the references of versions beside what they stand for."""
    if not isinstance(told, dict):
        return told
    for field, blank in _BY_REFERENCE.items():
        if isinstance(named := told.get(field), str):
            told = {**told, "kept": named, field: blank}
    if isinstance(named := told.get("tool"), str):
        told = {**told, "tool": {"name": named.split("@")[0], "kept": named}}
    return told


class StateValue(Document):
    """A named value of the state. What is written replaces it, is appended to its list, or is merged into its record.
    With a `start` it can be read before anything is written."""

    name: Name
    how: Literal["replace", "append", "merge"] = said("replace")
    start: Any = said(None)
    description: str = said("", max_length=400)


class Step(Document):
    """Of every step: its name, whether it is taken at all, and a note.

    In the place of what is kept elsewhere in versions (a prompt, a tool, a chain) its reference may stand, as in
    `prompt: desk-reply@3`. It is filled in by whoever knows them.
    """

    name: Name
    only_if: Expression = said("", description="It is passed over unless this is true.")
    note: str = said("", max_length=2_000)
    retries: int = said(
        0, ge=0, le=5, description="Tried again so often where it fails, or its tool does."
    )
    seconds: float | None = said(
        None, gt=0, le=86_400, description="After which it has failed; what it wrote is let go."
    )
    cents: float | None = said(None, gt=0, le=1e6, description="What it may cost, retries too.")

    @model_validator(mode="before")
    @classmethod
    def _read_references(cls, told: Any) -> Any:
        return with_references(told)


class Seen(Document):
    """What a step sees of the talk before the person's last words: all of it, the last so many things that were said,
    or the summary that the chain keeps."""

    how: Literal["all", "last", "summary"] = "all"
    last: int = said(6, ge=1, le=100, description="So many things said, by either.")


class Ask(Step):
    """Ask a model. Inputs of the prompt that `given` does not name are read from the state by their own names. What is
    written: the answer under one name, or by expressions over `text`, `json` and `reasoning`."""

    kind: Literal["ask"]
    kept: Reference = said("", description="The version that its prompt is, as in desk-reply@3.")
    prompt: Prompt
    model: str = Field(max_length=80)
    settings: Settings = left_out(Settings)
    given: dict[str, Expression] = said(of=dict)
    sees: Seen | None = said(
        None, description="Of the talk, besides what it is given. Without it, nothing."
    )
    writes: Name | dict[str, Expression] = ""


class LookUpStep(Step):
    """Look passages up."""

    kind: Literal["look_up"]
    looking: LookingUp
    question: Expression
    writes: Name


class UseToolStep(Step):
    """Call a tool. Its answer is written as the value that it is as JSON, else as text."""

    kind: Literal["tool"]
    tool: Tool
    arguments: dict[str, Expression] = said(of=dict)
    writes: Name


class SetStep(Step):
    """Work values out."""

    kind: Literal["set"]
    writes: dict[str, Expression]


class CheckStep(Step):
    """Judge a value by checks. What failed is written as a list of messages; `halt` ends the walk there. A check may
    say itself what is done where it fails: mend the value, put another text in its place, leave it out, or halt."""

    kind: Literal["check"]
    of: Expression
    checks: list[CheckUse] = Field(min_length=1, max_length=20)
    writes: Name = said("")
    on_failure: Literal["record", "halt"] = said("record")


class Merge(Document):
    """A prompt that makes one of several answers, which are its input `answers`."""

    kept: Reference = said("", description="The version that its prompt is, as in desk-reply@3.")
    prompt: Prompt
    model: str = Field(max_length=80)
    settings: Settings = left_out(Settings)
    given: dict[str, Expression] = said(of=dict)

    @model_validator(mode="before")
    @classmethod
    def _read_references(cls, told: Any) -> Any:
        return with_references(told)


class Vote(Step):
    """The same question several times. What is written is the answer that comes most often; with `checks` the one that
    fails the fewest of them; with `merge` what that makes of them all. Of equal ones the first counts."""

    kind: Literal["vote"]
    kept: Reference = said("", description="The version that its prompt is, as in desk-reply@3.")
    prompt: Prompt
    model: str = Field(max_length=80)
    settings: Settings = left_out(Settings)
    given: dict[str, Expression] = said(of=dict)
    times: int = Field(3, ge=2, le=MOST_VOTES)
    over: Expression = said("", description="What of each answer is counted, over text and json.")
    checks: list[CheckUse] = said(max_length=20)
    merge: Merge | None = said(None)
    writes: Name


class Pause(Step):
    """Wait until a person approves, edits or refuses what is about to happen, which `shows` puts before them. What
    they may edit is a value of the state. In trials nobody is there: it is as `in_trials` says."""

    kind: Literal["pause"]
    shows: dict[str, Expression] = said(of=dict)
    edits: Name = said("", description="The value that a person may change.")
    writes: Name = said("", description="What was said: word, by, note.")
    hours: float = said(72.0, gt=0, le=2_000)
    then: Literal["refuse", "approve"] = said(
        "refuse", description="What it means that nobody said a word."
    )
    on_refusal: Literal["halt", "go_on"] = said("halt")
    in_trials: Literal["approve", "refuse"] = said("approve")


class CollectedField(Document):
    """A fact that is to be found out. Without a `question` the person is asked for it by its name; `again` is how it is
    asked once the first words did not lead to it, `why` what is told to who asks why, or refuses."""

    name: Name
    kind: Literal["text", "number", "whole", "yes_no", "date", "time", "choice"] = "text"
    question: str = said("", max_length=400)
    again: str = said("", max_length=400)
    why: str = said("", max_length=400)
    choices: list[str] = said(max_length=100)
    least: float | None = said(None)
    most: float | None = said(None)
    required: bool = said(True)


class Collect(Step):
    """Find facts out by talk: a model takes down what the person said, one thing is asked at a time, and no later step
    is taken before what is required is there. What comes of it is a record of the facts. It gives up, politely, after
    a field was asked for `asks` times, or once the person refuses what is required and was told why it is needed."""

    kind: Literal["collect"]
    fields: list[CollectedField] = Field(min_length=1, max_length=MOST_FIELDS)
    model: str = Field(max_length=80)
    settings: Settings = left_out(Settings)
    begins: Expression = said("", description="What was said already, as in: message.")
    asks: int = said(3, ge=1, le=10, description="So often one field is asked for, at most.")
    reads_back: bool = said(False, description="Tells what it noted, and asks whether it is right.")
    follow_up_minutes: float | None = said(
        None, gt=0, le=10_000, description="After which it asks once more where nothing is said."
    )
    hours: float = said(72.0, gt=0, le=2_000, description="It waits for words, at most.")
    goodbye: str = said("", max_length=400, description="What is said where it gives up.")
    on_giving_up: Literal["halt", "go_on"] = said("halt")
    writes: Name


class Send(Step):
    """Send values to an address as JSON, by POST, signed where there is a key: a web hook. Nothing goes out in a trial,
    and in a walk only where that was allowed as it began. What was answered is written."""

    kind: Literal["send"]
    address: str = Field(max_length=2_000)
    body: dict[str, Expression] = said(of=dict)
    key: str = said("", max_length=120, description="Reference of the key that signs it.")
    writes: Name = said("")
