"""What a chain is: typed inputs, a state of named values, steps in order, outputs.

Where a step reads, it says so by an expression in CEL over the inputs and the state; where it writes, it names
values of the state. So what depends on what can be told without walking it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import Field, model_validator

from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Input, Prompt, ReplyShape
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.tool import Tool
from epistem.core.shapes import Document, said

MOST_ROUNDS, MOST_ITEMS, MOST_AT_ONCE, MOST_VOTES = 20, 200, 16, 25
_BY_REFERENCE: dict[str, dict[str, Any]] = {
    "prompt": {},
    "chain": {"kind": "chain", "steps": [{"kind": "set", "name": "to be filled in", "writes": {}}]},
}
Expression: TypeAlias = Annotated[str, Field(max_length=2_000)]
Name: TypeAlias = Annotated[str, Field(max_length=80)]
Reference: TypeAlias = Annotated[str, Field(max_length=80)]
PlaceName: TypeAlias = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_ -]{0,39}$")]
"""Of a way or a branch: it is part of its steps' places."""


def _left_out(of: type[Document]) -> Any:
    """A field that is left out of the JSON while it is as it begins."""
    return Field(default_factory=of, exclude_if=lambda value: value == of())


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
        if not isinstance(told, dict):
            return told
        for field, blank in _BY_REFERENCE.items():
            if isinstance(named := told.get(field), str):
                told = {**told, "kept": named, field: blank}
        if isinstance(named := told.get("tool"), str):
            told = {**told, "tool": {"name": named.split("@")[0], "kept": named}}
        return told


class Ask(Step):
    """Ask a model. Inputs of the prompt that `given` does not name are read from the state by their own names. What is
    written: the answer under one name, or by expressions over `text`, `json` and `reasoning`."""

    kind: Literal["ask"]
    kept: Reference = said("", description="The version that its prompt is, as in desk-reply@3.")
    prompt: Prompt
    model: str = Field(max_length=80)
    settings: Settings = _left_out(Settings)
    given: dict[str, Expression] = said(of=dict)
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
    kept: Reference = said("", description="The version that its prompt is, as in desk-reply@3.")
    prompt: Prompt
    model: str = Field(max_length=80)
    settings: Settings = _left_out(Settings)
    given: dict[str, Expression] = said(of=dict)
    times: int = Field(3, ge=2, le=MOST_VOTES)
    over: Expression = said("", description="What of each answer is counted, over text and json.")
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
    | CallStep,
    Field(discriminator="kind"),
]


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
    reply: ReplyShape = _left_out(ReplyShape)
    caps: Caps = _left_out(Caps)

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


def prompts_in(chain: Chain) -> Iterator[tuple[str, Ask | Vote]]:
    """Each step that asks a model, with its place; those of chains that are called too."""
    for each in placed(chain.steps):
        if isinstance(each.step, Ask | Vote):
            yield each.at, each.step
        elif isinstance(each.step, CallStep):
            for at, step in prompts_in(each.step.chain):
                yield f"{each.at}.in.{at}", step


def models_of(chain: Chain) -> list[str]:
    """The models that are asked, each once; the one that has the last word is the last."""
    named = [step.model for _, step in prompts_in(chain)]
    return list(reversed(dict.fromkeys(reversed(named))))


for _model in (Way, Route, Repeat, Each, Branch, Both, CallStep, Chain):
    _model.model_rebuild()
