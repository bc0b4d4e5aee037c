"""One line of a walk on its way: its state, what is left of the caps, what it has come by."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

from epistem.core.chains.content import AnyStep, Caps
from epistem.core.chains.state import State, Written
from epistem.core.chains.talking import Talking
from epistem.core.chains.walked import Ended, Speaker, Stepped
from epistem.core.checks.structure.find_json import find_json
from epistem.core.errors import EpistemError
from epistem.core.prompts.dialogue import Turn


class End(Exception):
    """The walk ends here."""

    def __init__(self, ended: Ended, why: str, trouble: EpistemError | None = None) -> None:
        super().__init__(why)
        self.ended, self.why, self.trouble = ended, why, trouble


@dataclass
class Left:
    """Of the caps."""

    steps: int
    calls: int
    cents: float
    most_cents: float = float("inf")
    """That are allowed, of which `cents` are left."""

    @classmethod
    def of(cls, caps: Caps) -> Left:
        cents = caps.cents if caps.cents is not None else float("inf")
        return cls(caps.steps, caps.calls, cents, cents)

    def copied(self) -> Left:
        return replace(self)

    def within(self, caps: Caps) -> Left:
        """The same, and no more than those."""
        own = Left.of(caps)
        least = own if own.cents < self.cents else self
        return Left(
            min(self.steps, own.steps),
            min(self.calls, own.calls),
            least.cents,
            least.most_cents,
        )

    def take(self, before: Left, after: Left) -> None:
        """What another took of its own."""
        self.steps -= before.steps - after.steps
        self.calls -= before.calls - after.calls
        if before.cents != float("inf"):
            self.cents -= before.cents - after.cents


@dataclass
class StepCosts:
    """By one step itself so far, on all its attempts; not by the steps that stand in it."""

    calls: int = 0
    tokens: dict[str, tuple[int, int]] = field(default_factory=dict)
    """Sent to each model, and written by it."""

    def add(self, model: str, sent: int, written: int) -> None:
        before = self.tokens.get(model, (0, 0))
        self.tokens[model] = (before[0] + sent, before[1] + written)

    def take(self, other: StepCosts) -> None:
        self.calls += other.calls
        for model, (sent, written) in other.tokens.items():
            self.add(model, sent, written)

    def told(self, step: Stepped, speakers: Mapping[str, Speaker]) -> Stepped:
        """The step, with what it has spent."""
        by_model = sorted(self.tokens.items())  # money adds up alike, whichever was quicker
        return step._replace(
            calls=self.calls,
            input_tokens=sum(sent for _, (sent, _) in by_model),
            output_tokens=sum(written for _, (_, written) in by_model),
            cents=sum(
                cents_of(speakers[model], sent, written)
                for model, (sent, written) in by_model
                if model in speakers
            ),
        )


@dataclass
class Going:
    """The whole of a walk, or a branch of it."""

    state: State
    left: Left
    talking: Talking
    spent: StepCosts = field(default_factory=StepCosts)
    """By the step that it is in."""
    steps: list[Stepped] = field(default_factory=list)
    written: Written = field(default_factory=list)
    talk: list[Turn] = field(default_factory=list)
    """All that was said in it so far, by either."""
    summary: str = ""
    summed: int = 0
    """So much of the talk is in the summary."""

    def beside(self, **more: Any) -> Going:
        """Another line from here on, which sees more names."""
        state, left = self.state.copied(**more), self.left.copied()
        talk = list(self.talk)
        told = (talk, self.summary, self.summed)
        return Going(state, left, self.talking, StepCosts(), [], [], *told)


class Beside(NamedTuple):
    """What came of a line beside others."""

    going: Going
    given: Any
    end: End | None


def join(going: Going, came: Sequence[Beside]) -> None:
    """What they took together is taken from what was left; the first that ended ends the walk."""
    before = going.left.copied()
    for each in came:
        going.steps += each.going.steps
        going.left.take(before, each.going.left)
    for each in came:
        if each.end is not None:
            raise each.end


def wrote(
    going: Going, step: AnyStep, at: str, given: dict[str, Any], written: Written, told: str = ""
) -> Stepped:
    """The step, over, after what it wrote is in the state. Raises InvalidInput for what can't be written."""
    going.state.write(written)
    going.written += written
    return Stepped(at, step.name, step.kind, given, dict(written), told)


def cents_of(speaker: Speaker, sent: int, written: int) -> float:
    return sent * speaker.input_cents + written * speaker.output_cents


def json_in(text: str) -> Any:
    found = find_json(text)
    return None if found is None else found.value


def told_as_json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, default=str)


def json_or_text(text: str) -> Any:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return text
