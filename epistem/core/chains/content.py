"""What a chain is: typed inputs, a state of named values, steps in order, outputs.

Where a step reads, it says so by an expression in CEL over the inputs and the state; where it writes, it names
values of the state. So what depends on what can be told without walking it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal, TypeAlias

from pydantic import Field

from epistem.core.chains.kinds import (
    Ask,
    CheckStep,
    Collect,
    Expression,
    LookUpStep,
    Name,
    Pause,
    Reference,
    Send,
    SetStep,
    StateValue,
    Step,
    UseToolStep,
    Vote,
    left_out,
)
from epistem.core.prompts.content import Input, ReplyShape
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document, said

MOST_ROUNDS, MOST_ITEMS, MOST_AT_ONCE = 20, 200, 16
PlaceName: TypeAlias = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_ -]{0,39}$")]
"""Of a way or a branch: it is part of its steps' places."""


class Way(Document):
    """One way of a route: taken where `when` is true, and none before it was; or where a model chooses it by what it
    is `about`."""

    name: PlaceName
    when: Expression = said("")
    about: str = said("", max_length=400)
    steps: list[AnyStep] = Field(default_factory=list, max_length=100)


class Chooser(Document):
    """A model that chooses a way for what `of` is."""

    model: str = Field(max_length=80)
    settings: Settings = left_out(Settings)
    of: Expression
    says: str = said("", max_length=2_000, description="What it is told besides the ways.")


class Route(Step):
    """One of several ways, the first that is true, or the one that a model chooses; `otherwise` where none is, or it
    names one that there is not."""

    kind: Literal["route"]
    chooser: Chooser | None = said(None)
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


class CallStep(Step):
    """Walk another chain, from inputs of its own. Nothing of the state is seen there; what comes back is written
    by expressions over its outputs, or all of them as a record under one name."""

    kind: Literal["call"]
    kept: Reference = said(
        "", description="The version that the chain is, as in timetable-answer@2."
    )
    chain: Chain
    given: dict[str, Expression] = said(of=dict)
    writes: Name | dict[str, Expression] = ""


AnyStep: TypeAlias = Annotated[
    Ask
    | LookUpStep
    | UseToolStep
    | SetStep
    | CheckStep
    | Route
    | Repeat
    | Each
    | Both
    | Vote
    | Pause
    | Collect
    | Send
    | CallStep,
    Field(discriminator="kind"),
]


class Summary(Document):
    """A model keeps the talk in short: after each answer it brings the summary up to date."""

    model: str = Field(max_length=80)
    settings: Settings = left_out(Settings)
    words: int = said(120, ge=20, le=1_000, description="It has at most.")


class Talk(Document):
    """Of a chain that converses: its steps are taken anew for each thing that the person says, which is the input
    `words`; the state is as it was left. It is over after so many turns, once `until` is true after one, or when
    nothing is said for so long."""

    words: Name
    turns: int = said(20, ge=1, le=100)
    until: Expression = said("")
    hours: float = said(72.0, gt=0, le=2_000)
    summary: Summary | None = said(None)


class Caps(Document):
    """At which a walk ends, whatever it was doing."""

    steps: int = said(200, ge=1, le=5_000)
    calls: int = said(60, ge=1, le=2_000)
    cents: float | None = said(None, gt=0, le=1e6)


class Chain(Document):
    """The content of a chain. `personal` names inputs and values that hold what is said of people. `outputs` are
    expressions, worked out at its end. Its answer is the value of its one output, or a record of them all, in the
    shape that `reply` tells."""

    kind: Literal["chain"] = "chain"
    inputs: list[Input] = said(max_length=100)
    state: list[StateValue] = said(max_length=200)
    personal: list[Name] = said(max_length=300)
    steps: list[AnyStep] = Field(min_length=1, max_length=200)
    outputs: dict[str, Expression] = Field(default_factory=dict)
    reply: ReplyShape = left_out(ReplyShape)
    caps: Caps = left_out(Caps)
    talk: Talk | None = said(None)

    @property
    def settings(self) -> Settings:
        """None of its own: each step has its own."""
        return Settings()


Path = tuple[str | int, ...]
"""Where something stands in the document: field by field."""


class Placed:
    """A step with its place: `3`, `3.2` for the second step of a loop, `3.fast.1` in a way or a branch."""

    __slots__ = ("at", "deep", "path", "step")

    def __init__(self, at: str, deep: int, step: AnyStep, path: Path) -> None:
        self.at, self.deep, self.step, self.path = at, deep, step, path


def placed(
    steps: list[AnyStep], before: str = "", deep: int = 0, path: Path = ("steps",)
) -> Iterator[Placed]:
    """All steps, in order, those inside after the one that holds them."""
    for number, step in enumerate(steps, start=1):
        at, here = f"{before}{number}", (*path, number - 1)
        yield Placed(at, deep, step, here)
        for name, inner, where in held(step):
            within = f"{at}.{name}." if name else f"{at}."
            yield from placed(inner, within, deep + 1, (*here, *where))


def inside(step: AnyStep) -> list[tuple[str, list[AnyStep]]]:
    """The steps that a step holds, by the name of the way or branch."""
    return [(name, steps) for name, steps, _ in held(step)]


def held(step: AnyStep) -> list[tuple[str, list[AnyStep], Path]]:
    """The same, with where they stand in the step."""
    if isinstance(step, Repeat | Each):
        return [("", step.steps, ("steps",))]
    if isinstance(step, Route):
        ways = [(way.name, way.steps, ("ways", at, "steps")) for at, way in enumerate(step.ways)]
        return [*ways, ("otherwise", step.otherwise, ("otherwise",))]
    if isinstance(step, Both):
        return [
            (branch.name, branch.steps, ("branches", at, "steps"))
            for at, branch in enumerate(step.branches)
        ]
    return []


for _model in (Way, Route, Repeat, Each, Branch, Both, CallStep, Chain):
    _model.model_rebuild()
