"""One line of a walk on its way: its state, what is left of the caps, what it has come by."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from epistem.core import strict_json
from epistem.core.chains.content import AnyStep
from epistem.core.chains.state import State, Written
from epistem.core.chains.talking import Talking
from epistem.core.chains.walked import Ended, Speaker, Stepped
from epistem.core.checks.structure.find_json import find_json
from epistem.core.engine.budget import Budget, Charge, Refused
from epistem.core.engine.needs import Program, Take
from epistem.core.errors import EpistemError
from epistem.core.prompts.dialogue import Turn


class End(Exception):
    """The walk ends here."""

    def __init__(self, ended: Ended, why: str, trouble: EpistemError | None = None) -> None:
        super().__init__(why)
        self.ended, self.why, self.trouble = ended, why, trouble


@dataclass
class StepCosts:
    """By one step itself so far, on all its attempts; not by the steps that stand in it."""

    calls: int = 0
    characters: int = 0
    """Of replies."""
    tokens: dict[str, tuple[int, int]] = field(default_factory=dict)
    """Sent to each model, and written by it."""

    def add(self, model: str, sent: int, written: int) -> None:
        before = self.tokens.get(model, (0, 0))
        self.tokens[model] = (before[0] + sent, before[1] + written)

    def take(self, other: StepCosts) -> None:
        self.calls += other.calls
        self.characters += other.characters
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
    budgets: tuple[Budget, ...]
    """Which all that it takes is taken from, the widest first: they are shared by what runs side by side."""
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
        told = (list(self.talk), self.summary, self.summed)
        return Going(
            self.state.copied(**more), self.budgets, self.talking, StepCosts(), [], [], *told
        )

    def taken(self, path: str, what: str, **much: Any) -> Program[None]:
        """So much of the budgets. Raises End where it is not left."""
        refused = yield Take(path, Charge(self.budgets, **much))
        if refused is not None:
            raise over(refused, what)


def over(refused: Refused, what: str = "it") -> End:
    """The cap that ends the walk, in words; `what` would take another."""
    allowed = f"{refused.allowed:,.10g}"
    if refused.what == "cents":
        return End(
            "cap",
            f"{allowed} cents are allowed, of which {refused.left:.3g} are left, and {what} could cost "
            f"{refused.wanted:.3g}.",
        )
    if refused.what == "characters":
        return End(
            "cap",
            f"What its steps were given and wrote has come to more than {allowed} characters, which is what a walk "
            "holds at most.",
        )
    return End("cap", f"{allowed} {refused.what} are allowed, and {what} would be another.")


class Beside(NamedTuple):
    """What came of a line beside others: its steps, what they wrote, and what it gives; its state is let go."""

    steps: list[Stepped]
    written: Written
    given: Any
    end: End | None


def join(going: Going, came: Sequence[Beside | Refused]) -> list[Beside]:
    """All of them. Raises the first End of one, or that which kept some from being begun."""
    begun = [each for each in came if isinstance(each, Beside)]
    for each in begun:
        going.steps += each.steps
    for each in begun:
        if each.end is not None:
            raise each.end
    if refused := next((each for each in came if isinstance(each, Refused)), None):
        raise over(refused, "what was still to be done")
    return begun


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
        return strict_json.loads(text)
    except (ValueError, RecursionError):
        return text
