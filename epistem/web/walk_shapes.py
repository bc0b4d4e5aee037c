"""What the API tells of walks."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from epistem.core.chains.drawn import bars_of, cut, in_short
from epistem.core.chains.walked import Stepped
from epistem.store.walks.pauses import Pause
from epistem.store.walks.rows import Walking, WalkLine
from epistem.web.replies import Moment, Shape

MOST_STEPS = 400
MOST_SHOWN = 600
"""Characters of a value in a page of a walk; a step asked for by itself has more."""


class WalkLineShape(Shape):
    """One line of a list. `first_words` are those of its inputs."""

    id: int
    status: str
    why: str
    case: int | None
    of_walk: int | None
    from_step: str
    changed: str
    calls: int
    cents: float
    ms: float
    started_by: str
    created_at: Moment
    first_words: str


class WalkList(Shape):
    """Newest first. `more`: there are older ones, before the last of these."""

    walks: list[WalkLineShape]
    more: bool


class UsedToolShape(Shape):
    name: str
    arguments: str
    answer: str
    fault: str | None


class StepLookUp(Shape):
    input: str
    collection: str
    version: int | None
    question: str
    passages: list[str]


class ExchangeShape(Shape):
    """What was said to the person, and what they said to it; None while nothing was."""

    says: str
    heard: str | None


class StepShape(Shape):
    """A step of a walk. `ms` is what it took itself; it lies from `start_ms` for `total_ms`, with what it holds."""

    at: str
    name: str
    kind: str
    given: dict[str, Any]
    wrote: dict[str, Any]
    told: str
    calls: int
    input_tokens: int
    output_tokens: int
    cents: float
    passed_over: bool
    fault: str
    reasoning: str
    halts: str
    model: str
    tools: list[UsedToolShape]
    found: list[StepLookUp]
    said: list[ExchangeShape] = Field(default_factory=list)
    ms: float
    start_ms: float = 0.0
    total_ms: float = 0.0


class WaitingPause(Shape):
    """What a person is to say a word to: approve, edit the value `edits`, or refuse. Of the kind talk they are to say
    something to what `value` says. After `until_at` it is as `then` says."""

    id: int
    walk: int
    subject: str
    step: str
    path: str
    shows: dict[str, Any]
    edits: str
    value: Any
    until_at: Moment
    then: str
    word: str | None
    note: str
    said_by: str
    asked_at: Moment
    kind: Literal["word", "talk"]


class PauseList(Shape):
    """What is to be approved, then talks that wait for words; the most pressing of each first."""

    pauses: list[WaitingPause]


class WalkPage(WalkLineShape):
    subject: str
    inputs: dict[str, Any]
    seed: int
    edits: dict[str, Any]
    outputs: dict[str, Any]
    state: dict[str, Any]
    steps: list[StepShape] = Field(description="The first of them, long values cut.")
    more_steps: int
    pauses: list[WaitingPause]
    talk: list[ExchangeShape] = Field(description="What was said to the person so far.")
    played: bool
    goes_out: bool
    instead: dict[str, Any] = Field(
        description="What the step at `from_step` wrote without being done."
    )
    alone: bool = Field(description="Only the step at `from_step` of `of_walk` was walked.")
    over: bool


def walk_line(line: WalkLine) -> WalkLineShape:
    words = next((str(value) for value in line.inputs.values() if value not in (None, "")), "")
    told = line._asdict()
    del told["inputs"]
    return WalkLineShape(**told, first_words=" ".join(words[:400].split())[:120])


def walk_page(walking: Walking, pauses: list[Pause]) -> WalkPage:
    outcome = walking.outcome or {"outputs": {}, "state": {}}
    return WalkPage(
        **walk_line(walking.line).model_dump(),
        subject=walking.subject,
        inputs=walking.line.inputs,
        seed=walking.seed,
        edits=walking.edits,
        outputs={name: cut(value) for name, value in outcome["outputs"].items()},
        state={name: cut(value, MOST_SHOWN) for name, value in outcome["state"].items()},
        steps=[
            StepShape(**in_short(each.model_dump(), MOST_SHOWN))
            for each in step_shapes(walking.steps)[:MOST_STEPS]
        ],
        more_steps=max(0, len(walking.steps) - MOST_STEPS),
        pauses=[pause_shape(each) for each in pauses],
        talk=_talk(outcome.get("talk"), pauses),
        played=walking.played is not None,
        goes_out=walking.goes_out,
        instead=walking.instead,
        alone=walking.alone,
        over=walking.over,
    )


def _talk(told: list[list[Any]] | None, pauses: list[Pause]) -> list[ExchangeShape]:
    """Of a walk that is over as it was, else as far as it has come."""
    if told is not None:
        return [ExchangeShape(says=says, heard=heard) for says, heard in told]
    return [
        ExchangeShape(says=str(each.value), heard=each.note if each.word == "said" else None)
        for each in pauses
        if each.kind == "talk"
    ]


def step_shapes(told: list[dict[str, Any]]) -> list[StepShape]:
    """With where each lies in time."""
    steps = [StepShape.model_validate(each) for each in told]
    plain = [Stepped(each.at, each.name, each.kind, {}, {}) for each in steps]
    for step, bar in zip(steps, bars_of(plain, {s.at: s.ms for s in steps}), strict=True):
        step.start_ms, step.total_ms = bar.start_ms, bar.ms
    return steps


def pause_shape(pause: Pause) -> WaitingPause:
    return WaitingPause.model_validate(pause._asdict())
