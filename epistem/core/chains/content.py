"""What a chain is: typed inputs, a state of named values, steps in order, outputs.

Where a step reads, it says so by an expression in CEL over the inputs and the state; where it writes, it names
values of the state. So what depends on what can be told without walking it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import Field

from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Input, Prompt
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.tool import Tool
from epistem.core.shapes import Document, said

MOST_ROUNDS, MOST_ITEMS, MOST_AT_ONCE, MOST_VOTES = 20, 200, 16, 25
Expression: TypeAlias = Annotated[str, Field(max_length=2_000)]
Name: TypeAlias = Annotated[str, Field(max_length=80)]
PlaceName: TypeAlias = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_ -]{0,39}$")]
"""Of a way or a branch: it is part of its steps' places."""


class StateValue(Document):
    """A named value of the state. What is written replaces it, is appended to its list, or is merged into its record.
    With a `start` it can be read before anything is written."""

    name: Name
    how: Literal["replace", "append", "merge"] = said("replace")
    start: Any = said(None)
    description: str = said("", max_length=400)


class Step(Document):
    """Of every step: its name, whether it is taken at all, and a note."""

    name: Name
    only_if: Expression = said("", description="It is passed over unless this is true.")
    note: str = said("", max_length=2_000)


class Ask(Step):
    """Ask a model. Inputs of the prompt that `given` does not name are read from the state by their own names. What is
    written: the answer under one name, or by expressions over `text`, `json` and `reasoning`."""

    kind: Literal["ask"]
    prompt: Prompt
    model: str = Field(max_length=80)
    settings: Settings = said(of=Settings)
    given: dict[str, Expression] = said(of=dict)
    writes: Name | dict[str, Expression] = ""
    retries: int = said(0, ge=0, le=5, description="Asked again so often where no answer came.")


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
    """Judge a value by checks. What failed is written as a list of messages; `halt` ends the walk there."""

    kind: Literal["check"]
    of: Expression
    checks: list[CheckUse] = Field(min_length=1, max_length=20)
    writes: Name = said("")
    on_failure: Literal["record", "halt"] = said("record")


class Way(Document):
    """One way of a route: taken where this is true, and none before it was."""

    name: PlaceName
    when: Expression
    steps: list[AnyStep] = Field(default_factory=list, max_length=100)


class Route(Step):
    """One of several ways; `otherwise` where none of them is."""

    kind: Literal["route"]
    ways: list[Way] = Field(min_length=1, max_length=50)
    otherwise: list[AnyStep] = Field(default_factory=list, max_length=100)


class Repeat(Step):
    """The steps again and again until something is true, so often at most. With `best` the state is left as it was
    after the round where that number was highest, unless a round ended it."""

    kind: Literal["repeat"]
    steps: list[AnyStep] = Field(min_length=1, max_length=100)
    until: Expression
    most: int = Field(3, ge=1, le=MOST_ROUNDS)
    best: Expression = said("")


class Each(Step):
    """The steps for each item of a list, some at once; what they write stays with the item. The results come in the
    order of the list."""

    kind: Literal["each"]
    over: Expression
    item: Name = "item"
    steps: list[AnyStep] = Field(min_length=1, max_length=100)
    gives: Expression
    writes: Name
    at_once: int = said(4, ge=1, le=MOST_AT_ONCE)


class Branch(Document):
    name: PlaceName
    steps: list[AnyStep] = Field(min_length=1, max_length=100)


class Both(Step):
    """Branches side by side, each from the state as it is; what they write is joined, in their order."""

    kind: Literal["both"]
    branches: list[Branch] = Field(min_length=2, max_length=8)


class Vote(Step):
    """The same question several times; the answer that comes most often is written, of equal ones the first."""

    kind: Literal["vote"]
    prompt: Prompt
    model: str = Field(max_length=80)
    settings: Settings = said(of=Settings)
    given: dict[str, Expression] = said(of=dict)
    times: int = Field(3, ge=2, le=MOST_VOTES)
    over: Expression = said("", description="What of each answer is counted, over text and json.")
    writes: Name


AnyStep: TypeAlias = Annotated[
    Ask | LookUpStep | UseToolStep | SetStep | CheckStep | Route | Repeat | Each | Both | Vote,
    Field(discriminator="kind"),
]


class Caps(Document):
    """At which a walk ends, whatever it was doing."""

    steps: int = said(200, ge=1, le=5_000)
    calls: int = said(60, ge=1, le=2_000)
    cents: float | None = said(None, gt=0, le=1e6)


class Chain(Document):
    """The content of a chain. `outputs` are expressions, worked out at its end."""

    kind: Literal["chain"] = said("chain")
    inputs: list[Input] = said(max_length=100)
    state: list[StateValue] = said(max_length=200)
    steps: list[AnyStep] = Field(min_length=1, max_length=200)
    outputs: dict[str, Expression] = Field(default_factory=dict)
    caps: Caps = said(of=Caps)


class Placed:
    """A step with its place: `3`, `3.2` for the second step of a loop, `3.fast.1` in a way or a branch."""

    __slots__ = ("at", "deep", "step")

    def __init__(self, at: str, deep: int, step: AnyStep) -> None:
        self.at, self.deep, self.step = at, deep, step


def placed(steps: list[AnyStep], before: str = "", deep: int = 0) -> Iterator[Placed]:
    """All steps, in order, those inside after the one that holds them."""
    for number, step in enumerate(steps, start=1):
        at = f"{before}{number}"
        yield Placed(at, deep, step)
        for name, inner in inside(step):
            yield from placed(inner, f"{at}.{name}." if name else f"{at}.", deep + 1)


def inside(step: AnyStep) -> list[tuple[str, list[AnyStep]]]:
    """The steps that a step holds, by the name of the way or branch."""
    if isinstance(step, Repeat | Each):
        return [("", step.steps)]
    if isinstance(step, Route):
        return [*((way.name, way.steps) for way in step.ways), ("otherwise", step.otherwise)]
    if isinstance(step, Both):
        return [(branch.name, branch.steps) for branch in step.branches]
    return []


for _model in (Way, Route, Repeat, Each, Branch, Both, Chain):
    _model.model_rebuild()
